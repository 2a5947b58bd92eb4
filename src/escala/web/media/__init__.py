"""Files below the media roots."""
