"""Prints the tables of cards and keywords that are searched for ids into ``docs/decks.md``."""

from __future__ import annotations

from pathlib import Path

from oddseam.formats.keyword import keyword_reference_table as keywords
from oddseam.formats.nastran import bulk_reference_table as cards

PAGE = Path(__file__).with_name("decks.md")
BEGIN, END = "<!-- tables: docs/make_card_tables.py -->\n", "<!-- end of tables -->\n"


def tables() -> str:
    """Both, by what the cards are for."""
    found = []
    for head, room, join in (
        (f"{len(cards.RULES)} cards of bulk data", cards, ", "),
        (f"{len(keywords.RULES)} keywords", keywords, ", "),
    ):
        star = "*" if room is keywords else ""
        uses = dict.fromkeys(room.USE.values())
        rows = [
            f"| {use} | {join.join(f'`{star}{name}`' for name, its in room.USE.items() if its == use)} |"
            for use in uses
        ]
        found.append(f"**{head}**\n\n| for | searched |\n|---|---|\n" + "\n".join(rows) + "\n")
    return "\n".join(found)


def page(text: str) -> str:
    """The page with its tables."""
    before, rest = text.split(BEGIN)
    return before + BEGIN + "\n" + tables() + "\n" + END + rest.split(END)[1]


if __name__ == "__main__":
    PAGE.write_text(page(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
