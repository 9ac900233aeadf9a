"""Long computations: worker processes of their own take them from the queue in the database, one
at a time each, say how far they are, and keep what came of it.

`worker` is one process, `__main__` some of them, `tasks` what they can do.
"""
