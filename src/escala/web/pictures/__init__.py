"""Pictures and measurements of a variant."""
