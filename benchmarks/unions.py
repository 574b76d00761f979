"""Random unions of simple solids, many of them, each judged as it is read back from its file.

python benchmarks/unions.py FIRST COUNT
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import unions


def main(first: int, count: int) -> None:
    """Judge scenes and print those that are wrong, and how many of each kind there were."""
    seen, bad, begin = Counter(), Counter(), time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            given = unions.scene(seed)
            seen[given.kind, given.format] += 1
            try:
                wrong = unions.judged(given, Path(folder))
            except Exception as error:
                wrong = [f"{type(error).__name__}: {error}"]
            if wrong:
                bad[given.kind, given.format] += 1
                print(seed, given.kind, given.format, len(given.solids), *wrong[:3], sep=" | ", flush=True)
    for key in sorted(seen):
        print(*key, f"{seen[key] - bad[key]:,} of {seen[key]:,} right")
    print(f"{sum(bad.values())} wrong of {count:,}, {time.perf_counter() - begin:.0f} s")


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:3]))
