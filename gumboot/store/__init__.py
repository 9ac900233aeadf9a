"""What is kept: crews, people, jobs, plans by version, the log. PostgreSQL through SQLAlchemy."""
