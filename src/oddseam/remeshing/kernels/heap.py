"""An indexed heap of numbered things, each in it once, the one that costs least on top.

Every place has four below it: that makes it half as deep as with two, and those four lie side by side.  ``cost`` and
``item`` are by place in the heap, ``place`` is by number, -1 for what is not in it.
"""

from __future__ import annotations

from oddseam.compiled import helper


@helper
def put(cost, item, place, i, c, e):
    cost[i] = c
    item[i] = e
    place[e] = i


@helper
def rise(cost, item, place, i):
    c = cost[i]
    e = item[i]
    while i > 0:
        up = (i - 1) >> 2
        if cost[up] <= c:
            break
        put(cost, item, place, i, cost[up], item[up])
        i = up
    put(cost, item, place, i, c, e)


@helper
def sink(cost, item, place, count, i):
    c = cost[i]
    e = item[i]
    while True:
        first = 4 * i + 1
        if first >= count:
            break
        k = first
        for j in range(first + 1, min(first + 4, count)):
            if cost[j] < cost[k]:
                k = j
        if cost[k] >= c:
            break
        put(cost, item, place, i, cost[k], item[k])
        i = k
    put(cost, item, place, i, c, e)


@helper
def settle(cost, item, place, count, i, was):
    """Move what stands at i to where its cost belongs; ``was`` is the cost that belonged there."""
    if cost[i] < was:
        rise(cost, item, place, i)
    else:
        sink(cost, item, place, count, i)


@helper
def set_cost(cost, item, place, count, e, c):
    """Give an edge a cost, putting it in if it is not there; how many there are then."""
    i = place[e]
    if i < 0:
        put(cost, item, place, count, c, e)
        rise(cost, item, place, count)
        return count + 1
    was = cost[i]
    cost[i] = c
    settle(cost, item, place, count, i, was)
    return count


@helper
def remove(cost, item, place, count, e):
    """Take an edge out, if it is there; how many are left."""
    i = place[e]
    if i < 0:
        return count
    place[e] = -1
    count -= 1
    last = item[count]
    if last != e:
        was = cost[i]
        put(cost, item, place, i, cost[count], last)
        settle(cost, item, place, count, i, was)
    return count
