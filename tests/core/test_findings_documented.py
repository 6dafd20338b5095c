"""Each finding is explained in the documents that the help shows."""

import re
from pathlib import Path

ROOT = Path(__file__).parents[2]


def codes_in_use() -> set[str]:
    """The codes that the core makes findings with."""
    found: set[str] = set()
    for path in (ROOT / "src" / "nephos" / "core").rglob("*.py"):
        found |= set(re.findall(r'Finding\(\s*"([a-z][a-z-]+)"', path.read_text()))
    return found


def test_every_finding_is_explained() -> None:
    documents = "".join(path.read_text() for path in (ROOT / "docs").glob("*.md"))
    codes = codes_in_use()
    assert len(codes) > 40
    missing = sorted(code for code in codes if f"`{code}`" not in documents)
    assert not missing
