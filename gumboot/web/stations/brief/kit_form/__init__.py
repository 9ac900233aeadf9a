"""The brief's form: which fields a kit asks for, and typed texts to and from a plan."""

from gumboot.web.stations.brief.kit_form.asked import labels, sections
from gumboot.web.stations.brief.kit_form.follow import follows
from gumboot.web.stations.brief.kit_form.reading import checked, of_the_book, typed_in, typed_of

__all__ = ["checked", "follows", "labels", "of_the_book", "sections", "typed_in", "typed_of"]
