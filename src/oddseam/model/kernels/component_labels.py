"""The kernel behind connected components: union and find, with paths halved on the way.

R. E. Tarjan, J. van Leeuwen (1984), Worst-case analysis of set union algorithms.  The smaller
number becomes the root, so that components are met in the order of their first members.
"""

from __future__ import annotations

from oddseam.compiled import kernel


@kernel
def label_links(a, b, label):
    """Fill ``label`` (n,) with the component of everything, linked by pairs (a, b); returns how many."""
    n = label.shape[0]
    for i in range(n):
        label[i] = i
    for k in range(a.shape[0]):
        u = a[k]
        while label[u] != u:
            label[u] = label[label[u]]
            u = label[u]
        v = b[k]
        while label[v] != v:
            label[v] = label[label[v]]
            v = label[v]
        if u < v:
            label[v] = u
        elif v < u:
            label[u] = v
    # every parent is smaller than its child: one pass upward settles the numbers
    count = 0
    for i in range(n):
        if label[i] == i:
            label[i] = count
            count += 1
        else:
            label[i] = label[label[i]]
    return count
