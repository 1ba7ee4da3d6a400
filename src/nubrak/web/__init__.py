"""FastAPI: thin routes, server-sent events, the built front end."""
