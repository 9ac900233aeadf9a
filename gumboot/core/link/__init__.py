"""Link: do the boxes talk?

`wiring` is the space of how current transformers can stand, `ct` finds which of them explains what
a meter showed before and after known steps, and which step to make next. `terminators` is a bus as
a network of resistances.
"""
