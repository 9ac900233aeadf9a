"""Files from outside, read as far as they can be: a meter's readings as CSV or ESPI XML, weather as
EPW or TMY3, photographs.
"""
