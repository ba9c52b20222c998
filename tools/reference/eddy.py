"""Writes crates/coil/tests/validation/steel_buttons.json: a round coil round a steel button, by axisymmetric finite elements.

    python3 -m venv venv && venv/bin/pip install -r tools/reference/requirements.txt
    venv/bin/python tools/reference/eddy.py

The vector potential A (about the axis) solves curl(nu curl A) + j omega sigma A = J on second-order quadrilaterals, graded to a
tenth of the skin depth at the steel's surface, in a box of 0.3 m. As a check of the script itself the disc of physics.md is
solved too: 0.6198 H at 1 Hz, 0.5871 H and 949 ohm at 5 kHz.
"""

import json
import pathlib

import numpy as np
import scipy
import skfem
from scipy.sparse.linalg import splu
from skfem import Basis, BilinearForm, ElementQuad2, LinearForm, MeshQuad

MU_0 = 4e-7 * np.pi
BOX = 0.3


def graded(fixed, fine, sizes):
    """Coordinates through `fixed`, growing by a quarter from those in `fine` (place: size), elsewhere up to `sizes`."""
    places = []
    for low, high in zip(fixed, fixed[1:]):
        x, at = [low], low
        while True:
            step = sizes
            for place, size in fine.items():
                step = min(step, size + 0.25 * abs(at - place))
            # The step is judged at its far end too, so that it shrinks towards a fine place.
            for place, size in fine.items():
                step = min(step, size + 0.25 * abs(at + step - place))
            if at + 1.3 * step >= high:
                break
            at += step
            x.append(at)
        places.extend(x)
    places.append(fixed[-1])
    return np.array(places)


def solve(coil, steel, hz_list):
    """Inductance (H) and added resistance (ohm) of a coil (inner radius, build, from, to, turns) round steel
    (radius, from, to, mu_r, siemens per metre)."""
    inner, build, low, high, turns = coil
    radius, bottom, top, mu_r, sigma = steel
    delta = np.sqrt(2 / (2 * np.pi * max(hz_list) * mu_r * MU_0 * sigma))
    skin = max(delta / 10, 1.5e-5)
    r = graded(sorted({0.0, radius, inner, inner + build, BOX}), {radius: skin, inner: 4e-4, inner + build: 6e-4}, 0.02)
    edges = sorted({-BOX, bottom, top, low, high, BOX})
    z = graded(edges, {bottom: skin, top: skin, low: 4e-4, high: 4e-4}, 0.02)
    mesh = MeshQuad.init_tensor(r, z)
    basis = Basis(mesh, ElementQuad2(), intorder=5)

    def inside(x, r0, r1, z0, z1):
        return ((x[0] > r0) & (x[0] < r1) & (x[1] > z0) & (x[1] < z1)).astype(float)

    @BilinearForm
    def stiffness(u, v, w):
        x = w.x
        nu = 1 / MU_0 * (1 + (1 / mu_r - 1) * inside(x, -1, radius, bottom, top))
        rr = np.maximum(x[0], 1e-12)
        return nu * (u.grad[1] * v.grad[1] * rr + (u.grad[0] + u / rr) * (v.grad[0] + v / rr) * rr)

    @BilinearForm
    def mass(u, v, w):
        return sigma * inside(w.x, -1, radius, bottom, top) * u * v * w.x[0]

    @LinearForm
    def source(v, w):
        return turns / (build * (high - low)) * inside(w.x, inner, inner + build, low, high) * v * w.x[0]

    k, m, f = stiffness.assemble(basis), mass.assemble(basis), source.assemble(basis)
    fixed = np.unique(np.concatenate([
        basis.get_dofs(lambda x: np.isclose(x[0], 0)).all(),
        basis.get_dofs(lambda x: np.isclose(x[0], BOX)).all(),
        basis.get_dofs(lambda x: np.isclose(np.abs(x[1]), BOX)).all(),
    ]))
    free = np.setdiff1d(np.arange(basis.N), fixed)
    answers = []
    for hz in hz_list:
        omega = 2 * np.pi * hz
        matrix = (k + 1j * omega * m).tocsc()[free][:, free]
        a = splu(matrix).solve(f[free].astype(complex))
        linked = 2 * np.pi * np.dot(f[free], a)  # flux linkage of one ampere
        z_ohm = 1j * omega * linked
        answers.append({"hz": hz, "inductance_h": z_ohm.imag / omega, "added_ohm": z_ohm.real})
    return basis.N, answers


coil = (8e-3, 4e-3, 1e-3, 8e-3, 5000)
unknowns, check = solve(coil, (25e-3, -1e-3, 0.0, 300.0, 5.5e6), [1.0, 1000.0, 5000.0])
print("disc", unknowns, check)

cases = []
for name, diameter_mm, length_mm, mu_r, sigma_ms_m, start_mm in [
    ("a short button", 12.7, 9.5, 200.0, 5.5, -1.0),
    ("a longer button", 12.7, 12.7, 200.0, 5.5, -1.0),
    ("a thin rod", 4.8, 16.0, 200.0, 5.5, -4.0),
    ("a short thick button", 14.0, 6.0, 400.0, 6.0, 1.5),
]:
    steel = (diameter_mm / 2e3, start_mm / 1e3, (start_mm + length_mm) / 1e3, mu_r, sigma_ms_m * 1e6)
    unknowns, answers = solve(coil, steel, [1.0, 300.0, 1000.0, 3000.0, 5000.0, 10000.0])
    cases.append({"name": name, "diameter_mm": diameter_mm, "length_mm": length_mm, "bottom_mm": start_mm, "mu_r": mu_r,
                  "sigma_ms_m": sigma_ms_m, "answers": answers})
    print(name, unknowns, answers)

out = {
    "provenance": f"tools/reference/eddy.py with scikit-fem {skfem.__version__}, SciPy {scipy.__version__}, NumPy {np.__version__}",
    "coil": {"inner_radius_mm": 8.0, "build_mm": 4.0, "from_mm": 1.0, "to_mm": 8.0, "turns": 5000},
    "cases": cases,
}
path = pathlib.Path(__file__).parents[2] / "crates/coil/tests/validation/steel_buttons.json"
path.write_text(json.dumps(out, indent=1) + "\n")
