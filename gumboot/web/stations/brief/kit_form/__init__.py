"""The brief's form: which fields a kit asks for, and typed texts to and from a plan."""

from gumboot.web.stations.brief.kit_form.asked import sections
from gumboot.web.stations.brief.kit_form.kit import RUN_COLUMNS
from gumboot.web.stations.brief.kit_form.reading import checked, of_the_book, typed_in, typed_of

__all__ = ["RUN_COLUMNS", "checked", "of_the_book", "sections", "typed_in", "typed_of"]
