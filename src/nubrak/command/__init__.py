"""The one command: start, test, worker, convert, schema."""
