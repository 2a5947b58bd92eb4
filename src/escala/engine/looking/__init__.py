"""Looking and measuring."""
