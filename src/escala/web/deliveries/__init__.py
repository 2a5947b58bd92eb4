"""Deliveries, their files, and what happened on the server."""
