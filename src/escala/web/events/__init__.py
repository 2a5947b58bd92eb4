"""Events of the server, page by page."""
