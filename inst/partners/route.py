# A partner of Deep Stride in Python's standard library: water let out of a leaky reservoir.
# Lines of JSON come in on standard input, one goes out for each: see docs/partners.md.
import json
import math
import sys
import time


def number(x):
    return math.nan if x is None else float(x)  # null is R's NA; "Inf" and "NaN" come as text


def plain(x):
    return x if math.isfinite(x) else str(x).replace("nan", "NaN").replace("inf", "Inf")


def route(rain, keep):
    rain = [number(r) for r in (rain if isinstance(rain, list) else [rain])]
    out, store, keep = [], 0.0, number(keep)
    for r in rain:
        store = keep * store + r
        out.append((1 - keep) * store)
    return out


for line in sys.stdin:
    message = json.loads(line)
    if "hello" in message:
        answer = {"hello": 1}
    else:
        answer = {"call": message["call"]}
        start = time.perf_counter()
        try:
            result = route(**message["arguments"])
            answer["seconds"] = time.perf_counter() - start
            answer["result"] = [plain(x) for x in result]
        except Exception as problem:
            answer["error"] = str(problem)
    print(json.dumps(answer), flush=True)
