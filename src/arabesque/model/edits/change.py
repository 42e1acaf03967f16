"""One step of the work as a value."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.model.document import Document


@dataclass(frozen=True)
class Change:
    """What an edit makes. label: what was done in plain words. document: after it. select: the item to select then.

    said: what the user should hear about it besides, or "".
    """

    label: str
    document: Document
    select: str | None = None
    said: str = ""
