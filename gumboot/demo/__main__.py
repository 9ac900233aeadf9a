"""Load the demo into the database of GUMBOOT_DATABASE_URL, if it is empty: python -m gumboot.demo"""

import os

from gumboot.demo import scenario
from gumboot.store import database

engine = database.connect(os.environ["GUMBOOT_DATABASE_URL"])
database.refuse_unsafe_role(engine)
database.migrate(engine)
scenario.load(database.sessions(engine))
