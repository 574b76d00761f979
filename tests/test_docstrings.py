"""Every public function shows how it is used, and what it shows is so; what a notebook shows is HTML."""

from __future__ import annotations

import doctest
import inspect
from html.parser import HTMLParser

import pytest
import shapes

import oddseam

FUNCTIONS = sorted(name for name in oddseam.__all__ if inspect.isfunction(getattr(oddseam, name)))


@pytest.mark.slow
@pytest.mark.parametrize("name", FUNCTIONS)
def test_the_example_of_a_function_runs(name):
    function = inspect.unwrap(getattr(oddseam, name))
    examples = doctest.DocTestFinder(recurse=False).find(function, name, globs={})
    assert examples and examples[0].examples, f"{name} has no example"
    said: list[str] = []
    result = doctest.DocTestRunner().run(examples[0], out=said.append)
    assert result.failed == 0, "".join(said)


class Tags(HTMLParser):
    """Checks that tags close in order, and keeps the text."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.open, self.text = [], ""
        self.feed(text)
        assert not self.open

    def handle_starttag(self, tag, attrs):
        self.open.append(tag)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        self.text += data + " "


def test_a_notebook_shows_meshes_surveys_accounts_and_measures():
    nodes, triangles = shapes.grid_cube(3)
    named = oddseam.Mesh.from_triangles(nodes, triangles[:-1], parts=(oddseam.Part("a <b> & c", 4),), unit="mm")
    mended = oddseam.mend(named, close="all")
    assert "a <b> & c" in Tags(named._repr_html_()).text and "<b>" not in named._repr_html_()
    assert "free edges" in Tags(oddseam.survey(named)._repr_html_()).text
    assert "fill rims" in Tags(mended.account._repr_html_()).text
    assert "nothing done yet" in Tags(named.account._repr_html_()).text
    assert "thinnest wall" in Tags(oddseam.measure(mended)._repr_html_()).text
    frame = mended.account.frame()
    assert frame.loc[frame["step"] == "fill rims", "count"].tolist() == [1]
