"""Files and formats, and the pass store in which decoded passes live."""
