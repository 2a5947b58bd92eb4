"""Flask: resources under /api, events, and the built front end."""
