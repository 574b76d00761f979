"""Verbs that stand apart: accounts, the demo, completion, compiling."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from oddseam.accounts import Account
from oddseam.model import Mesh


def list_account(mesh: Mesh) -> Account:
    """Say what was done to a mesh, step by step.

    Only .seam files hold that.

    Parameters
    ----------
    mesh : Mesh
    """
    return mesh.account


def demo(*, output: str = "inlet_cowl_demo", data: bool = False) -> str:
    """Run the story of the inlet cowl of Alder Weir on generated data.

    Parameters
    ----------
    output : str
        Folder for the results.
    data : bool
        Write the data of all pages instead, and tell no story.
    """
    from oddseam.cli.tables import keep_survey
    from oddseam.demo import write_all
    from oddseam.demo.story import tell

    if data:
        return "\n".join(f"wrote {path}" for path in write_all(Path(output)))
    status = tell(Path(output), print, keep_survey)
    if status:
        raise SystemExit(status)
    return ""


def completion(shell: Literal["bash", "zsh", "fish"]) -> str:
    """Print what a shell needs to complete verbs and options.

    Parameters
    ----------
    shell : str
        Which: for bash say eval "$(oddseam completion bash)", for zsh the same with zsh, and for fish
        oddseam completion fish | source.
    """
    from oddseam.cli.completing import script_for

    return script_for(shell)


def warm_up(*, fresh: bool = False) -> str:
    """Compile what is not compiled for this processor yet.

    Parameters
    ----------
    fresh : bool
        Compile everything anew, whatever is there.
    """
    from oddseam.warmup import warm_up as compile_all

    return f"all kernels are compiled ({compile_all(fresh=fresh):.1f} s)"
