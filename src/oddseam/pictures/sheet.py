"""A figure of 1280 x 800 pixels, addressed by pixels from the upper left."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

from oddseam.arrays import Array
from oddseam.formats.files import write_whole

if TYPE_CHECKING:
    from matplotlib.axes import Axes

WIDTH, HEIGHT, _DPI = 1280, 800, 100
FONT = 9.0


class Sheet:
    """The figure."""

    def __init__(self) -> None:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

        self._figure = Figure(figsize=(WIDTH / _DPI, HEIGHT / _DPI), dpi=_DPI, facecolor="white")
        FigureCanvasAgg(self._figure)

    def text(self, x: float, y: float, words: str, size: float = FONT, **style: Any) -> None:
        """Write words."""
        self._figure.text(x / WIDTH, 1 - y / HEIGHT, words, fontsize=size, **{"va": "center", **style})

    def put(self, picture: Array, left: int, top: int) -> None:
        """Put a picture, pixel for pixel."""
        self._figure.figimage(picture, left, HEIGHT - top - len(picture), origin="upper", zorder=-1)

    def frame(self, left: float, top: float, width: float, height: float, colour: str) -> None:
        """Draw a rectangle."""
        from matplotlib.patches import Rectangle
        from matplotlib.transforms import IdentityTransform

        frame = Rectangle((left, HEIGHT - top - height), width, height, transform=IdentityTransform())
        frame.set(fill=False, edgecolor=colour, linewidth=2.0)
        self._figure.add_artist(frame)

    def overlay(self, left: float, top: float, width: float, height: float) -> Axes:
        """Axes without a border, in pixels from their upper left."""
        axes = self._axes(left, top, width, height)
        axes.set_axis_off()
        axes.set_xlim(0, width)
        axes.set_ylim(height, 0)
        return axes

    def histogram(self, left: float, top: float, width: float, height: float) -> Axes:
        """Axes for bars, with numbers along them only."""
        axes = self._axes(left, top, width, height)
        axes.set_yticks([])
        axes.tick_params(labelsize=FONT - 1)
        for side in ("top", "left", "right"):
            axes.spines[side].set_visible(False)
        return axes

    def _axes(self, left: float, top: float, width: float, height: float) -> Axes:
        return self._figure.add_axes((left / WIDTH, 1 - (top + height) / HEIGHT, width / WIDTH, height / HEIGHT))

    def save(self, path: Path) -> None:
        """Write the file, whole or not at all."""

        def fill(file: BinaryIO) -> None:
            self._figure.savefig(
                file, format="png", dpi=_DPI, metadata={"Software": None}, pil_kwargs={"compress_level": 3}
            )

        write_whole(path, fill)
