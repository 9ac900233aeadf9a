"""The web: one module per station, templates and static files beside them."""
