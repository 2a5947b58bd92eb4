"""The Depth station."""
