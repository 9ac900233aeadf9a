"""Alembic's entry: runs migrations on the connection handed over by
`gumboot.store.database.migrate`.
"""

from alembic import context

from gumboot.store.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
