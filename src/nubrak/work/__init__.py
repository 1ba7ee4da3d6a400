"""Long jobs with progress, on a queue in PostgreSQL that workers on other machines can share."""
