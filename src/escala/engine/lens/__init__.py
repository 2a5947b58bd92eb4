"""The Lens station."""
