"""What is measured can be measured: every module of the benchmarks can be
imported.
"""

import importlib
import pkgutil

import benchmarks


def test_every_benchmark_can_be_imported() -> None:
    found = [
        each.name
        for each in pkgutil.walk_packages(benchmarks.__path__, "benchmarks.")
    ]
    for name in found:
        if not name.endswith("__main__"):
            importlib.import_module(name)
    assert len(found) > 12
