"""The account: what was done to a mesh, with which settings, and what it changed.

This room knows no mesh, only digests and plain values.
"""

from oddseam.accounts.entry import Account, Entry, Loss, LostPlace, Outcome, Step
from oddseam.accounts.recording import recorded

__all__ = ["Account", "Entry", "Loss", "LostPlace", "Outcome", "Step", "recorded"]
