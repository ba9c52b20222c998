"""Writes crates/trade/src/schedule/reference.json: small work documents with the least weighted lateness that OR-tools' CP-SAT proves.

    python3 -m venv venv && venv/bin/pip install -r tools/reference/requirements.txt
    venv/bin/python tools/reference/schedule.py

The tests read the committed output; nothing runs this when the project is built or tested.
"""

import datetime
import json
import pathlib
import random

import ortools
from ortools.sat.python import cp_model

FROM = datetime.datetime(2026, 11, 25, 8, 0)
DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri"]
HORIZON = 16 * 24 * 60


def stamp(minutes):
    return (FROM + datetime.timedelta(minutes=minutes)).strftime("%Y-%m-%dT%H:%M")


def work(seed):
    pick = random.Random(seed)
    calendars = [
        {"name": "day", "hours": [[d, "08:00", "17:00"] for d in DAYS]},
        {"name": "part", "hours": [[d, "09:00", "13:00"] for d in DAYS]},
    ]
    resources = [{"name": "operator A", "kind": "person", "calendar": "day"}]
    if pick.random() < 0.7:
        resources.append({"name": "operator B", "kind": "person", "calendar": pick.choice(["day", "part"])})
    resources.append({"name": "winder one", "kind": "winder"})
    if pick.random() < 0.4:
        resources.append({"name": "winder two", "kind": "winder"})
    resources.append({"name": "wax pot", "kind": "pot", "capacity": pick.choice([1, 2, 4])})
    jobs = []
    wanted = pick.randint(8, 40)
    count = 0
    while count < wanted:
        operations = []
        if pick.random() < 0.5:
            operations.append({"name": "lacquer", "minutes": pick.choice([10, 15, 20]), "wait_minutes": 1440, "needs": [["person"]]})
        operations.append({"name": "wind", "minutes": pick.choice([25, 40, 60, 90]), "needs": [["person"], ["winder"]]})
        if pick.random() < 0.6:
            operations.append({"name": "pot", "minutes": pick.choice([15, 20, 30]), "wait_minutes": 60, "needs": [["pot"]]})
        operations.append({"name": "assemble", "minutes": pick.choice([20, 30, 45, 120]), "needs": [["person"]]})
        if pick.random() < 0.5:
            operations.append({"name": "measure", "minutes": 10, "needs": [["person"]]})
        operations = operations[: max(1, wanted - count)]
        count += len(operations)
        due = pick.choice([240, 480, 540, 1440 + 240, 1440 + 540, 2 * 1440 + 300])
        jobs.append({"name": f"job {len(jobs) + 1}", "due": stamp(due), "weight": pick.choice([1, 1, 2, 3]), "operations": operations})
    return {"from": stamp(0), "calendars": calendars, "resources": resources, "jobs": jobs}


def windows(document, resource, minutes):
    """Where an operation of so many minutes can begin on a resource."""
    name = resource.get("calendar")
    if name is None:
        return [[0, HORIZON]]
    hours = next(c["hours"] for c in document["calendars"] if c["name"] == name)
    found = []
    midnight = datetime.datetime.combine(FROM.date(), datetime.time())
    for day in range(HORIZON // 1440):
        date = midnight + datetime.timedelta(days=day)
        for weekday, begins, ends in hours:
            if date.strftime("%a") != weekday:
                continue
            at = [int((date - FROM).total_seconds() // 60) + int(t[:2]) * 60 + int(t[3:]) for t in (begins, ends)]
            low, high = max(0, at[0]), at[1] - minutes
            if low <= high:
                found.append([low, high])
    return found


def least(document):
    model = cp_model.CpModel()
    held = {r["name"]: [] for r in document["resources"]}
    terms = []
    for j, job in enumerate(document["jobs"]):
        before = None
        for k, operation in enumerate(job["operations"]):
            minutes = operation["minutes"]
            start = model.new_int_var(0, HORIZON, f"s{j}.{k}")
            if before is not None:
                model.add(start >= before)
            for need in operation["needs"]:
                chosen = []
                for r in (r for r in document["resources"] if r["kind"] in need):
                    takes = model.new_bool_var(f"t{j}.{k}.{r['name']}")
                    interval = model.new_optional_fixed_size_interval_var(start, minutes, takes, f"i{j}.{k}.{r['name']}")
                    held[r["name"]].append(interval)
                    domain = cp_model.Domain.from_intervals(windows(document, r, minutes))
                    model.add_linear_expression_in_domain(start, domain).only_enforce_if(takes)
                    chosen.append(takes)
                model.add_exactly_one(chosen)
            before = start + minutes + operation.get("wait_minutes", 0)
        due = int((datetime.datetime.strptime(job["due"], "%Y-%m-%dT%H:%M") - FROM).total_seconds() // 60)
        late = model.new_int_var(0, HORIZON * 2, f"l{j}")
        model.add(late >= before - due)
        terms.append(late * job["weight"])
    for resource in document["resources"]:
        capacity = resource.get("capacity", 1)
        model.add_cumulative(held[resource["name"]], [1] * len(held[resource["name"]]), capacity)
    model.minimize(sum(terms))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = 40
    solver.parameters.num_workers = 2
    status = solver.solve(model)
    return round(solver.objective_value) if status == cp_model.OPTIMAL else None


if __name__ == "__main__":
    cases = []
    seed = 1
    while len(cases) < 30 and seed < 200:
        document = work(seed)
        found = least(document)
        print(seed, sum(len(j["operations"]) for j in document["jobs"]), found, flush=True)
        if found is not None:
            cases.append({"work": document, "weighted_lateness_minutes": found})
        seed += 1
    out = pathlib.Path(__file__).parents[2] / "crates/trade/src/schedule/reference.json"
    header = {"made_with": f"ortools {ortools.__version__}, CP-SAT, proven optimal", "cases": cases}
    out.write_text(json.dumps(header, separators=(",", ":")) + "\n")
