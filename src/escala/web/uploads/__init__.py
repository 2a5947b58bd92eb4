"""Files of a render that the browser uploads."""
