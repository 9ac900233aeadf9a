"""The demo scenario: invented jobs at different stages."""
