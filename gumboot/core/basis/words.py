"""Words as they stand inside a sentence."""


def inside(words: str) -> str:
    """The first letter small, but for abbreviations: "PV inverter" and "Inverter 1" become "PV
    inverter" and "inverter 1".
    """
    return words if words[1:2].isupper() else words[:1].lower() + words[1:]
