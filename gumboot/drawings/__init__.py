"""Drawings: Design -> SVG, made on the server. Classes only, so that the page's themes and the
strict CSP both hold.
"""
