"""Writes crates/coil/tests/validation/libraries.json: figures of general-purpose reference libraries.

    python3 -m venv venv && venv/bin/pip install -r tools/reference/requirements.txt
    venv/bin/python tools/reference/generate.py

The tests read the committed output; nothing runs this when the project is built or tested.
"""

import json
import pathlib

import magpylib as magpy
import mpmath
import numpy as np
import scipy
from scipy import special, stats

mpmath.mp.dps = 30
versions = {m.__name__: m.__version__ for m in (magpy, mpmath, np, scipy)}

elliptic = [
    {"m": m, "k": float(mpmath.ellipk(m)), "e": float(mpmath.ellipe(m))}
    for m in (0.0, 1e-6, 0.1, 0.3, 0.5, 0.75, 0.9, 0.99, 0.9999, 0.999999)
]

# 2 J1(x)/(x J0(x)) for x = sqrt(-j u): the mean permeability of a round core in the skin effect.
core = []
for u in (1e-3, 0.1, 1.0, 5.0, 20.0, 100.0, 1000.0):
    x = mpmath.sqrt(-1j * u)
    value = 2 * mpmath.besselj(1, x) / (x * mpmath.besselj(0, x))
    core.append({"u": u, "re": float(value.real), "im": float(value.imag)})

points = [[0.0, 0.0, 0.012], [0.003, 0.001, 0.0105], [0.006, -0.004, 0.004], [-0.02, 0.01, -0.015], [0.0, 0.003, 0.0115]]
cylinder = magpy.magnet.Cylinder(polarization=(0, 0, 1.0), dimension=(0.00475, 0.017), position=(0, 0, 0))
cuboids = []
for axis, polarization in (("x", (1.0, 0, 0)), ("y", (0, 1.0, 0)), ("z", (0, 0, 1.0))):
    cuboid = magpy.magnet.Cuboid(polarization=polarization, dimension=(0.0635, 0.0127, 0.0032))
    at = [[0.0, 0.012, 0.0], [0.01, 0.0, 0.004], [0.04, 0.003, -0.002], [-0.02, -0.009, 0.003]]
    cuboids.append({"axis": axis, "points_m": at, "field_t": np.asarray(cuboid.getB(at)).tolist()})

# A round coil of 2,000 turns, inner radius 8 mm, build 2 mm, height 6 mm, as 40 x 120 current loops of one ampere.
field = np.zeros((4, 3))
coil_points = [[0.0, 0.0, 0.0], [0.004, 0.0, 0.002], [0.0, 0.0, 0.008], [0.015, 0.004, 0.001]]
for i in range(40):
    for j in range(120):
        radius = 0.008 + 0.002 * (i + 0.5) / 40
        z = -0.003 + 0.006 * (j + 0.5) / 120
        loop = magpy.current.Circle(current=2000 / 4800, diameter=2 * radius, position=(0, 0, z))
        field += np.asarray(loop.getB(coil_points))

document = {
    "provenance": "Written by tools/reference/generate.py with "
    + ", ".join(f"{name} {version}" for name, version in versions.items()),
    "elliptic": elliptic,
    "round_core": core,
    "cylinder": {"points_m": points, "field_t": np.asarray(cylinder.getB(points)).tolist()},
    "cuboids": cuboids,
    "round_coil": {"points_m": coil_points, "field_t_per_a": field.tolist()},
    "normal_quantile_95": float(stats.norm.ppf(0.95)),
    "bessel_j0_zeros": special.jn_zeros(0, 20).tolist(),
}
target = pathlib.Path(__file__).parents[2] / "crates/coil/tests/validation/libraries.json"
target.write_text(json.dumps(document, indent=1) + "\n")
