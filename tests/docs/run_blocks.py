#!/usr/bin/python3
"""Runs the shell blocks of a page of documentation as they are written, in one empty folder.

    run_blocks.py PAGE PROGRAM [PREFIX]

A block "```sh" must succeed, "```sh exit 3" end with that code, "```sh skip" is not run; "```sh compile" needs an
installed Williwaw, whose prefix is given and stands for ~/williwaw. PROGRAM is `williwaw` and build/williwaw there.
"""
import os
import pathlib
import re
import subprocess
import sys
import tempfile

page, program = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2]).resolve()
prefix = sys.argv[3] if len(sys.argv) > 3 else None
blocks = re.findall(r"^```sh([^\n]*)\n(.*?)^```$", page.read_text(), re.M | re.S)
assert blocks, f"{page} has no block of commands"
run = 0
with tempfile.TemporaryDirectory() as folder:
    tools = pathlib.Path(folder, "tools")
    work = pathlib.Path(folder, "work")
    tools.mkdir()
    work.mkdir()
    (tools / "williwaw").symlink_to(program)
    (work / "build").symlink_to(program.parent)
    environment = dict(os.environ, PATH=f"{tools}:{os.environ['PATH']}")
    for rule, commands in blocks:
        rule = rule.split()
        if rule == ["skip"] or (rule == ["compile"] and not prefix):
            continue
        if prefix:
            commands = commands.replace("~/williwaw", prefix)
        expected = int(rule[1]) if rule[:1] == ["exit"] else 0
        done = subprocess.run(["bash", "-e", "-o", "pipefail", "-c", commands], cwd=work, env=environment,
                              capture_output=True, text=True)
        run += 1
        if done.returncode != expected:
            sys.exit(f"{page}: ends with {done.returncode} instead of {expected}:\n{commands}\n{done.stdout}\n{done.stderr}")
print(f"{page.name}: {run} of {len(blocks)} blocks ran as written")
