"""Alembic's entry: migrations run in one transaction against the address they are handed."""

from alembic import context
from sqlalchemy import create_engine

from nubrak.store.tables import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
