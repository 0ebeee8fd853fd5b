#!/usr/bin/python3
"""What every command prints with --json, and summary.json, by the schema of the documentation.

    validate_json.py SCHEMA PROGRAM CASES
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import jsonschema

schema, program, cases = (pathlib.Path(a).resolve() for a in sys.argv[1:4])
validator = jsonschema.Draft202012Validator(json.loads(schema.read_text()))
# The schema refuses what it should.
for wrong in ({"End": {}}, {"end": {"time": 3}}, {"end": {"time": {"value": None, "unit": "s"}}},
              {"end": {"time": {"value": 3}}}, {"end": {"verdict": True}}, {"end": {"limit": None}}):
    assert not validator.is_valid(wrong), wrong
short = ["--set", "figure=[]"]
with tempfile.TemporaryDirectory() as folder:

    def told(code, *arguments):
        done = subprocess.run([program, *arguments, "--json"], cwd=folder, capture_output=True, text=True)
        assert done.returncode == code, (arguments, done.returncode, done.stderr)
        value = json.loads(done.stdout)
        errors = [f"{'/'.join(map(str, e.absolute_path))}: {e.message}" for e in validator.iter_errors(value)]
        assert not errors, (arguments, errors)
        assert value, arguments
        return value

    for case in sorted(cases.glob("*.toml")):
        told(0, "check", case)
    floor = cases / "hut-floor.toml"
    unstable = told(3, "check", floor, "--set", "time.scheme=explicit-euler")
    assert unstable["stability"]["verdict"] == "unstable", unstable["stability"]
    told(0, "check", floor, "--at", "0.1")
    run = told(0, "run", floor, "-o", "run", "--trust", *short)
    assert run["end"]["steps"] == {"value": 720, "unit": "1"}, run["end"]
    told(0, "run", cases / "cellar.toml", "-o", "steady", *short)
    told(0, "run", cases / "mooring-line.toml", "-o", "wave", *short)
    told(0, "run", cases / "drift-ice.toml", "-o", "system", "--set", "time.until=4 h", "--set", "record.every=2 h", *short)
    told(0, "sweep", floor, "--vary", "time.step=60 s,120 s", *short)
    told(0, "converge", floor, "--set", "converge.levels=3", *short)
    told(0, "compare", "run", "run")
    for results in ("run", "steady", "wave", "system"):
        summary = json.loads(pathlib.Path(folder, results, "summary.json").read_text())
        validator.validate(summary)
        names = [entry["name"] for entry in summary["columns_of_series_csv"]["names"]]
        header = pathlib.Path(folder, results, "series.csv").read_text().splitlines()[0]
        assert len(names) == len(set(names)) == header.count(",") + 1, (names, header)
print("what commands print with --json is what the schema says")
