"""Which fields of the lines under which keywords name nodes and elements.

A rule is a letter and fields, counted from 1 on every line: ``n1`` a node, ``e1`` an element, ``n2-4`` several,
``n1/3`` every third from the first on, ``n1+`` all down to the end of the line; ``N`` and ``E`` the number of a node or
element that the line itself gives.  ``n:REF NODE`` is a parameter of the keyword.  Where the field holds the name of a
set, the set is what is referred to.
"""

from __future__ import annotations

_GROUPS = {
    "supports": {
        "BOUNDARY; RETAINED NODAL DOFS; MOTION; BOND": "n1",
        "SUBMODEL": "n1+",
        "BOUNDARYF; CONNECTOR MOTION": "e1",
    },
    "loads and fields": {
        "CLOAD; CFLUX; CFLOW; CFILM; CRADIATE; CECHARGE; CECURRENT": "n1",
        "TEMPERATURE; FIELD; NODAL THICKNESS; PRESSURE STRESS; MASS FLOW RATE": "n1",
        "IMPERFECTION; ACOUSTIC FLOW VELOCITY; NODAL ENERGY RATE": "n1",
        "DLOAD; DFLUX; DFLOW; DECHARGE; DECURRENT; FOUNDATION; FILM; RADIATE; IMPEDANCE": "e1",
        "CONNECTOR LOAD; PRESTRESS HOLD": "e1",
        "INCIDENT WAVE; INCIDENT WAVE INTERACTION": "n2 n3",
        "INITIAL CONDITIONS": "INITIAL CONDITIONS",
        "STATIC": "STATIC",
    },
    "joints": {
        "EQUATION; NETWORK MPC": "EQUATION",
        "MPC": "n1+",
        "RIGID BODY": "n:REF NODE n:ROT NODE",
        "COUPLING; RIGID SURFACE; FLUID CAVITY; FLUID PROPERTY": "n:REF NODE",
        "KINEMATIC COUPLING": "n:REF NODE n1",
        "DISTRIBUTING COUPLING": "n1",
        "PRE-TENSION SECTION": "n:NODE e:ELEMENT",
        "EMBEDDED ELEMENT; MODEL CHANGE": "e1+",
        "RELEASE": "e1",
    },
    "directions": {
        "NORMAL": "e1 n2",
        "ORIENTATION": "ORIENTATION",
        "DISTRIBUTION; REBAR": "e1",
    },
    "sets, surfaces, and what makes nodes and elements": {
        "NSET": "NSET",
        "ELSET": "ELSET",
        "SURFACE": "SURFACE",
        "CONTACT NODE SET; SLIDE LINE; DISPLAY BODY": "n1+",
        "NGEN": "NGEN",
        "ELGEN": "e1",
        "ELEMENT": "ELEMENT",
    },
    "results": {
        "MONITOR": "n:NODE",
        "INTEGRATED OUTPUT SECTION": "n:REF NODE",
        "CONTOUR INTEGRAL": "n1+",
        "GEOMETRIC TOLERANCES": "n1",
    },
}

#: The rules of every keyword, and what it is for.
RULES = {name: rule for words in _GROUPS.values() for names, rule in words.items() for name in names.split("; ")}
USE = {name: use for use, words in _GROUPS.items() for names in words for name in names.split("; ")}
