"""A year of living with it, in steps of 15 minutes: sun, load, tariff and battery; outages; how
many packs; the best that was possible.
"""
