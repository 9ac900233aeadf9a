"""The crew's shelf: every entry of equipment entered from its sheet, edition by edition."""
