"""What is imported only where it is needed may be needed first by any thread, and by several at once: libraries whose modules import one another fail then."""

from __future__ import annotations

import subprocess
import sys

import pytest

from tests.conftest import SEED, SOAK

ALL_AT_ONCE = """
import ast, random, sys, threading, traceback
from pathlib import Path
import dubbin.core.card.run, dubbin.core.deliver.delivery  # as they are before any thread begins

def within_functions(path):
    for function in ast.walk(ast.parse(path.read_text())):
        if isinstance(function, (ast.FunctionDef, ast.AsyncFunctionDef)):
            yield "\\n".join(ast.unparse(n) for n in ast.walk(function) if isinstance(n, (ast.Import, ast.ImportFrom)))

files = (Path(dubbin.__file__).parent / "core").rglob("*.py")
imports = sorted({lines for path in files for lines in within_functions(path)} - {""})
random.Random(int(sys.argv[1])).shuffle(imports)
sys.setswitchinterval(1e-5)
begin, failed = threading.Barrier(len(imports)), []

def take(line):
    begin.wait()
    try:
        exec(line, {})
    except ModuleNotFoundError:  # of an extra that is not installed
        pass
    except BaseException:
        failed.append(line + traceback.format_exc())

threads = [threading.Thread(target=take, args=(line,)) for line in imports]
for thread in threads:
    thread.start()
for thread in threads:
    thread.join()
print(len(imports), *failed)
"""


@pytest.mark.parametrize("order", range(SEED + 1, SEED + 1 + SOAK))
def test_any_thread_may_be_the_first_to_need_a_library(order):
    done = subprocess.run([sys.executable, "-c", ALL_AT_ONCE, str(order)], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout.strip().isdecimal() and int(done.stdout) > 40, done.stdout + done.stderr
