"""The trade. Nothing here knows of the web, the database, the clock or chance."""
