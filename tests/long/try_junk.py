"""Junk in every argument of every public function, far more often than in the tests.

    python tests/long/try_junk.py [--count 5000] [--seed 1] [FUNCTION ...]

What is neither a result nor a refusal in one line is printed with the call, and so is what lasts over a minute.
"""  # fmt: skip

from __future__ import annotations

import argparse
import faulthandler
import inspect
import resource
import sys
import time
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, seed, settings, strategies as st

sys.path.insert(0, str(Path(__file__).parents[1]))
import junk


def main() -> int:
    """Try; the status says whether something broke."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("functions", nargs="*", metavar="FUNCTION")
    parser.add_argument("--count", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_DATA, (4 << 30, 4 << 30))
    broke = 0
    for name in chosen.functions or sorted(junk.calls()):
        start, found = time.perf_counter(), _broken(name, chosen.count, chosen.seed)
        print(f"{name}: {len(found)} broke, {time.perf_counter() - start:.0f} s", flush=True)
        for line in sorted(found)[:12]:
            print(f"    {line}", flush=True)
        broke += len(found)
    return 1 if broke else 0


def _broken(name: str, count: int, number: int) -> set[str]:
    """What went wrong, each kind once."""
    found: set[str] = set()
    parameters = list(inspect.signature(junk.calls()[name][0]).parameters)

    @seed(number)
    @settings(max_examples=count, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(st.sampled_from(parameters), junk.JUNK)
    def tried(parameter: str, value: Any) -> None:
        faulthandler.dump_traceback_later(60, exit=True)
        try:
            junk.try_junk(name, parameter, value)
        except Exception as error:
            trace = error.__traceback__
            while trace is not None and trace.tb_next is not None:
                trace = trace.tb_next
            place = f"{Path(trace.tb_frame.f_code.co_filename).name}:{trace.tb_lineno}" if trace else ""
            found.add(f"{parameter}={str(value)[:60]!r}: {type(error).__name__}: {str(error)[:80]!r} at {place}")
        faulthandler.cancel_dump_traceback_later()

    tried()
    return found


if __name__ == "__main__":
    sys.exit(main())
