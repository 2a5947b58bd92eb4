"""The documents: what is decided on a shot, and what a render is. Frozen, parsed once at the edge."""
