"""Source: what passes are, and what is wrong with them."""
