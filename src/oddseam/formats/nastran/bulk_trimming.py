"""Cards of a deck without what they name that is gone: lists get shorter, and what nothing is left of is dropped."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field

from oddseam.arrays import Array
from oddseam.formats.heirs import Successors
from oddseam.formats.nastran.bulk_reference_table import RULES
from oddseam.formats.nastran.bulk_references import list_first, mentions
from oddseam.formats.nastran.cards import ELEMENTS
from oddseam.formats.nastran.fields import Card, card_text
from oddseam.formats.nastran.scanning import Scan
from oddseam.model.references import ELEMENT_IDS, Ids, Mention, Named, References

#: Cards of several things in a row: the field of the first, and how many fields each takes.
_GROUPS = {
    "SPC": (2, 3), "SPCD": (2, 3), "SPCR": (2, 3), "DAREA": (2, 3), "DELAY": (2, 3), "DPHASE": (2, 3),
    "TEMP": (2, 2), "SLOAD": (2, 2), "DEFORM": (2, 2), "SUPORT1": (2, 2), "USET": (2, 2), "SEBSET": (2, 2),
    "SECSET": (2, 2), "SEQSET": (2, 2), "SESUP": (2, 2), "SEUSET": (3, 2), "SPCOFF": (1, 2), "SUPORT": (1, 2),
    "ASET": (1, 2), "BSET": (1, 2), "CSET": (1, 2), "QSET": (1, 2), "OMIT": (1, 2), "EXTRN": (1, 2), "RVDOF": (1, 2),
    "BNDFIX": (1, 2), "BNDFREE": (1, 2), "PLOTEL": (1, 4), "CORD1R": (1, 4), "CORD1C": (1, 4), "CORD1S": (1, 4),
    "BSURFS": (5, 4),
}  # fmt: skip
#: Lists that what comes in the place of what is gone belongs to as well.
_SETS = {"SET1", "SET3", "ELIST", "BSURF", "SEELT", "BOUTPUT", "SESET"}


@dataclass
class Trimmed:
    """New texts of records, and what became of their cards: counts by name."""

    texts: dict[int, str] = field(default_factory=dict)
    shorter: dict[str, int] = field(default_factory=dict)
    extended: dict[str, int] = field(default_factory=dict)
    dropped: dict[str, list[str]] = field(default_factory=dict)

    def put(self, record: int, name: str, text: str, what: str) -> None:
        """A card that names less, or is dropped, for an empty text; ``what`` says which it is."""
        self.texts[record] = text
        if text:
            self.shorter[name] = self.shorter.get(name, 0) + 1
        else:
            self.dropped.setdefault(name, []).append(what)

    def kept(self) -> list[str]:
        """Cards that name less or other things."""
        said = []
        if self.shorter:
            cards = ", ".join(f"{count:,} {name}" for name, count in sorted(self.shorter.items()))
            said.append(f"cards that name less, without what is gone: {cards}")
        if self.extended:
            cards = ", ".join(f"{count:,} {name}" for name, count in sorted(self.extended.items()))
            said.append(f"sets that name what came in the place of what is gone: {cards}")
        return said

    def lost(self) -> list[str]:
        """Cards that are dropped."""
        return [
            f"{len(which):,} {name} card(s), for what they act on is gone: {'; '.join(which)}"
            for name, which in sorted(self.dropped.items())
        ]


def trimmed_cards(
    scan: Scan,
    references: References,
    gone: dict[str, Array],
    left: dict[str, Array],
    successors: Successors,
    but: Collection[int] = (),
) -> Trimmed:
    """The cards that name what is gone, without that.

    Parameters
    ----------
    scan : Scan
    references : References
    gone, left : dict of str to (k,) int64 arrays
        Ids that are no more, and those that are, by what they are of.
    successors : Successors
        What came in the place of elements that are gone, which lists of elements and nodes are extended by.
    but : collection of int, optional
        Records that are seen to already.
    """
    result = Trimmed()
    records = {int(references.record[row]) for what, ids in gone.items() for row, _ in references.hits(what, ids)}
    ids = Ids.of(gone, left)
    for record in sorted(records):
        card = scan.card(record)
        if record in but or card.name not in RULES or card.name in ELEMENTS:  # an element stays, and is listed
            continue
        if card.name == "PLOAD4" and card.text(7).upper() == "THRU":
            result.put(record, card.name, _fewer_loaded(card, ids), " ".join(card.fields[:4]).strip())
            continue
        fields = _without(card, ids)
        more = _heirs(card, ids.lost, successors)
        if more:
            fields = [*(card.fields[: (list_first(card.name) or 1) - 1] if fields is None else fields), *map(str, more)]
            result.extended[card.name] = result.extended.get(card.name, 0) + 1
        if fields != card.fields:
            text = "" if fields is None else card_text(card.name, fields, card.style)
            result.put(record, card.name, text, " ".join(card.fields[:4]).strip())
    return result


def _fewer_loaded(card: Card, ids: Ids) -> str:
    """Cards of a pressure on a run of elements, one for each run that is left of it."""
    (run,) = mentions(card)
    cards = []
    for first, last in run.without(ids.gone[run.what], ids.left[run.what]):
        fields = list(card.fields)
        fields[1], fields[6:8] = str(first), ["THRU", str(last)] if first < last else ["", ""]
        cards.append(card_text(card.name, fields, card.style))
    return "".join(cards)


def _without(card: Card, ids: Ids) -> list[str] | None:
    """The fields without what is gone, or ``None`` if nothing is left to act on."""
    hit = [m for m in mentions(card) if not m.gives and ids.is_hit(m)]
    if not hit:
        return card.fields
    if card.name in _GROUPS:
        return _fewer_groups(card, hit, *_GROUPS[card.name])
    if card.name == "RBE3":
        return _fewer_spokes(card, {m.field for m in hit})
    first = list_first(card.name)
    if first is None or any(m.field < first for m in hit):
        return None
    return _shorter_list(card, first, ids)


def _heirs(card: Card, gone: Mapping[str, set[int]], successors: Successors) -> list[int]:
    """What a set gets in the place of what is gone."""
    if card.name not in _SETS:
        return []
    its = [m for m in mentions(card) if not m.gives]
    ids = Named(its)
    if not its or not any(number in ids for number in gone[its[0].what]):
        return []
    return successors.of_elements(ids) if its[0].what == ELEMENT_IDS else successors.of_nodes(ids)


def _fewer_groups(card: Card, hit: Iterable[Mention], first: int, width: int) -> list[str] | None:
    """Without the groups of fields that name what is gone; those behind move up."""
    bad = {(mention.field - first) // width for mention in hit}
    rest = card.fields[first - 1 :]
    groups = [rest[k : k + width] for k in range(0, len(rest), width)]
    kept = [group for number, group in enumerate(groups) if number not in bad]
    kept = [group + [""] * (width - len(group)) for group in kept if any(group)]
    return [*card.fields[: first - 1], *(word for group in kept for word in group)] if kept else None


def _fewer_spokes(card: Card, bad: set[int]) -> list[str] | None:
    """A distributing element without some of its nodes; a weight without any goes."""
    if 3 in bad:
        return None
    head, groups, tail = card.fields[:4], list[list[str]](), list[str]()
    for number, word in enumerate(card.fields[4:], 5):
        if tail or (word and word[0].isalpha()):
            if number in bad:
                return None  # what it frees is gone
            tail.append(word)
        elif word and not word.isdecimal():
            groups.append([word])
        elif word and groups and number not in bad:
            groups[-1].append(word)
    kept = [word for group in groups if len(group) > 2 for word in group]
    if not kept:
        return None
    if tail:  # what follows begins a line of its own
        kept += [""] * (-(len(head) + len(kept)) % 8)
    return [*head, *kept, *tail]


def _shorter_list(card: Card, first: int, ids: Ids) -> list[str] | None:
    """A list without what is gone; runs end where something is left, and are spelled out where they fall apart."""
    of_field = {m.field: m for m in mentions(card) if m.field >= first}
    words, number = list[str](), first
    while number <= len(card.fields):
        word, mention = card.text(number), of_field.get(number)
        if mention is None or mention.first == mention.last:
            if word and not (mention is not None and mention.first in ids.lost[mention.what]):
                words.append(word)
            number += 1
            continue
        runs = mention.without(ids.gone[mention.what], ids.left[mention.what])
        end = number + 1
        while end <= len(card.fields) and not card.text(end).isdecimal():
            end += 1  # the end of the run, behind THRU
        if len(runs) == 1 and runs[0][0] < runs[0][1]:
            words += [str(runs[0][0]), *card.fields[number : end - 1], str(runs[0][1])]
        else:
            left = ids.left[mention.what]
            spans = (left[(left >= a) & (left <= b) & ((left - a) % mention.step == 0)] for a, b in runs)
            words += [str(its) for span in spans for its in span.tolist()]
        number = end + 1
    return [*card.fields[: first - 1], *words] if any(word.isdecimal() for word in words) else None
