"""What is kept: sessions and their edits, audio by content hash, derived arrays. PostgreSQL through
SQLAlchemy.
"""
