#!/usr/bin/env python3
"""Looks locks up by name, in a list that is gone through or in a table, and writes samples (docs/samples.md).

    look_up.py list|table
"""
import json
import os
import sys
import time

names = [f"Lock {i * 37 % 1009}" for i in range(1009)]
minutes = list(range(1009))
table = dict(zip(names, minutes))


def find_one(name):
    return table[name] if sys.argv[1] == "table" else minutes[names.index(name)]


def find_some(count):
    return sum(find_one(name) for name in names[:count])


def count_all(count):
    return sum(len(name) for name in names[:count])


with os.fdopen(int(os.environ["ASSAY_SAMPLES"]), "w") as samples:
    for function in (find_some, count_all):
        for locks in (100, 1000):
            for number in range(5):
                start = time.perf_counter()
                function(locks)
                spent = time.perf_counter() - start
                line = {"candidate": function.__name__.replace("_", " "), "setting": {"locks": locks},
                        "metric": "time per call", "unit": "s", "round": number, "value": spent}
                samples.write(json.dumps(line) + "\n")
