"""Plants one bug after the other (mutants.txt: file|text|what it becomes, with \\| for a bar) and runs the tests, which have to
catch each. A bug that does not compile shows nothing, so warnings are no errors here. --every N plants each N-th alone."""

import os
import re
import shutil
import subprocess
import sys
import tempfile

here = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def plant(root, row):
    """Why a bug was not caught; None where it was."""
    file, text, other = (part.replace("\\|", "|") for part in re.split(r"(?<!\\)\|", row))
    path = os.path.join(root, file)
    with open(path) as source:
        plain = source.read()
    if text not in plain:
        return f"{file}: not found: {text}"
    with open(path, "w") as source:
        source.write(plain.replace(text, other, 1))
    run = subprocess.run(["bash", "test.sh", "--changed"], cwd=root, capture_output=True, text=True)
    with open(path, "w") as source:
        source.write(plain)
    if "error:" in run.stderr:
        return f"{file}: does not compile: {text}\n{run.stderr[:400]}"
    return f"{file}: not caught: {text}" if run.returncode == 0 else None


subprocess.run(["bash", "test.sh"], cwd=here, check=True, stdout=subprocess.DEVNULL)
with tempfile.TemporaryDirectory() as work:
    root = os.path.join(work, "apple")
    shutil.copytree(os.path.join(os.path.dirname(here), "vectors"), os.path.join(work, "vectors"))
    for name in ["include", "src", "test", "build"]:
        shutil.copytree(os.path.join(here, name), os.path.join(root, name))
    with open(os.path.join(here, "test.sh")) as script, open(os.path.join(root, "test.sh"), "w") as copy:
        copy.write(script.read().replace(" -Werror)", ")"))
    with open(os.path.join(here, "test/mutants.txt")) as rows:
        every = int(sys.argv[2]) if sys.argv[1:2] == ["--every"] else 1
        planted = rows.read().splitlines()[::every]
    missed = [why for why in (plant(root, row) for row in planted) if why]
print("\n".join([*missed, f"{len(planted)} planted bugs, {len(missed)} not caught"]))
sys.exit(1 if missed else 0)
