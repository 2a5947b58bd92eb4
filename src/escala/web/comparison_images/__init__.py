"""Images to compare with."""
