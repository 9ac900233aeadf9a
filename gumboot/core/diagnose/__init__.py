"""Why it does not do what it should: causes, looks that tell them apart, and the next one to
take.
"""
