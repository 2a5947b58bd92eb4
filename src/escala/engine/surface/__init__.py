"""Surface: colours, before light multiplies them."""
