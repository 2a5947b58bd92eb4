"""Finished pictures to files: each whole or not at all, each tagged with what it holds."""
