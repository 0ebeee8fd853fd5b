#!/usr/bin/python3
"""Every key that a section of a case file allows is in the documentation.

    keys_documented.py SOURCES PAGE ..
"""
import pathlib
import re
import sys

sources, pages = pathlib.Path(sys.argv[1]), [pathlib.Path(p).read_text() for p in sys.argv[2:]]
keys = set()
for file in sorted(sources.rglob("*.cpp")):
    for allowed in re.findall(r"\.allow\(\s*\{([^{}]*)\}", file.read_text()):
        keys.update(re.findall(r'"([a-z_]+)"', allowed))
    for words in re.findall(r"const Words sections\{([^{}]*)\}", file.read_text()):
        keys.update(re.findall(r'"([a-z_]+)"', words))
assert len(keys) > 100, f"only {len(keys)} keys were found in {sources}: do sections allow them in another way?"
text = "\n".join(pages)
missing = sorted(key for key in keys if not re.search(rf"(?<![a-z_]){key}(?![a-z_])", text))
if missing:
    sys.exit("not documented: " + ", ".join(missing))
print(f"{len(keys)} keys are documented")
