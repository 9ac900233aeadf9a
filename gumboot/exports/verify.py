"""Tell whether a sealed PDF is untouched: python -m gumboot.exports.verify PDF [crew.pem …]

Prints what it is worth, a line each; the exit status is 1 when it was changed or is by none of the
certificates given, 2 when something could not be read.
"""

from __future__ import annotations

import sys
from pathlib import Path

from gumboot.exports.certificate import Checked
from gumboot.exports.seal import check


def told(name: str, found: Checked, certificates: bool) -> list[str]:
    """What a PDF is worth, in lines."""
    out = [f"{name}: {'untouched' if found.whole else 'does not hold'}"]
    if found.by:
        how = "time stamped" if found.stamped else "by its server's clock"
        out.append(f"  sealed by {found.by}, {found.at or 'no time said'}, {how}")
    if found.uid:
        out.append(f"  job {found.uid}, plan version {found.version}, log head {found.head}")
    if found.why and (certificates or not found.whole):
        out.append(f"  {found.why}")
    elif not certificates and found.whole:
        out.append("  whose certificate this is was not checked: give it as a .pem file")
    return out


def main(arguments: list[str]) -> int:
    """Check one PDF against some certificates."""
    if not arguments:
        sys.stderr.write("Name the PDF, and the crew's certificate as a .pem file.\n")
        return 2
    try:
        data = Path(arguments[0]).read_bytes()
        known = [Path(a).read_text(encoding="ascii") for a in arguments[1:]]
        found = check(data, known)
    except (OSError, ValueError) as exc:
        sys.stderr.write(f"{exc}\n")
        return 2
    print("\n".join(told(Path(arguments[0]).name, found, bool(known))))
    return 0 if found.whole and (found.known or not known) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
