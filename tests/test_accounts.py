from __future__ import annotations

import json
from dataclasses import dataclass, field, replace

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.accounts import Account, Entry, Outcome, Step, recorded


@dataclass(frozen=True)
class Thing:
    """As little of a mesh as an account needs."""

    value: int
    account: Account = field(default_factory=Account)

    @property
    def digest(self) -> str:
        return f"thing {self.value}"

    @property
    def counts(self) -> dict[str, int]:
        return {"things": self.value}

    def gone_since(self, before):
        return ()

    def with_account(self, account: Account) -> Thing:
        return replace(self, account=account)


@recorded()
def double(thing: Thing, *, times: int = 2, names: tuple[str, ...] = (), progress=None) -> tuple[Thing, Outcome]:
    """Multiply."""
    if times < 0:
        raise oddseam.Refusal("times is negative")
    steps = (Step("multiply", times, 0.5), Step("look", 1, 2.0, "detail", ((1.0, 2.0, 3.0),)))
    return Thing(thing.value * times, thing.account), Outcome(steps, ("noted",), ("unmet",))


def test_an_operation_records_its_settings_and_what_it_did():
    first = Thing(3)
    second = double(double(first, times=4, progress=print), names=("a", "b"))
    assert second.value == 24 and len(first.account) == 0
    one, two = second.account
    assert one.settings == {"times": 4, "names": []} and two.settings == {"times": 2, "names": ["a", "b"]}
    assert one.inputs == ("thing 3",) and one.output == "thing 12" == two.inputs[0]
    assert two.before == {"things": 12} and two.after == {"things": 24}
    assert two.largest_move == 2.0 and two.outcome.unmet == ("unmet",) and two.version == oddseam.__version__
    assert double.__name__ == "double" and double.__doc__ == "Multiply."


def test_a_refusal_leaves_no_entry():
    thing = Thing(1)
    with pytest.raises(oddseam.Refusal):
        double(thing, times=-1)
    assert len(thing.account) == 0


def test_an_account_is_the_same_after_a_journey_through_json():
    account = double(double(Thing(5))).account
    again = Account.from_list(json.loads(json.dumps(account.to_list())))
    assert again == account and again.last == account.last and isinstance(again.last, Entry)
    assert again.last.outcome.steps[1].places == ((1.0, 2.0, 3.0),)


def test_real_operations_can_be_told_from_the_account_and_done_again():
    nodes, triangles = shapes.grid_cube(12)
    mesh = oddseam.Mesh.from_triangles(nodes, np.delete(triangles, [5, 90], axis=0))
    done = oddseam.assign_property(
        oddseam.remesh(oddseam.mend(mesh, close=0.5), size=0.2), thickness=2.0, young=1.0, poisson=0.3
    )
    verbs = {"mend": oddseam.mend, "remesh": oddseam.remesh, "assign property": oddseam.assign_property}
    again = mesh
    for entry in done.account:
        again = verbs[entry.operation](again, **json.loads(json.dumps(dict(entry.settings))))
    assert again.digest == done.digest
    assert [entry.output for entry in again.account] == [entry.output for entry in done.account]
