"""Functions of Python as tools: a description on the first line, then one reply for each call."""
import json
import sys

FRAMES = {"ML-01": [9, 7, 3], "ML-02": [10, 10, 8], "ML-03": [4]}


def count_frames(hive):
    """Frames with brood, stores and foundation of a hive."""
    if hive not in FRAMES:
        raise LookupError(f"There is no hive {hive}; there are {', '.join(FRAMES)}.")
    return {"hive": hive, "boxes": len(FRAMES[hive]), "frames": sum(FRAMES[hive])}


def mean(numbers):
    """The mean of a list of numbers."""
    return sum(numbers) / len(numbers)


HIVE = {"type": "object", "properties": {"hive": {"type": "string"}}, "required": ["hive"]}
NUMBERS = {"type": "array", "items": {"type": "number"}, "minItems": 1}
LIST = {"type": "object", "properties": {"numbers": NUMBERS}, "required": ["numbers"]}
TOOLS = {count_frames: HIVE, mean: LIST}

print(json.dumps({"version": 1, "about": "Frames of the hives.", "tools": [
    {"name": f.__name__, "about": f.__doc__, "effect": "read", "input": schema} for f, schema in TOOLS.items()
]}), flush=True)
functions = {f.__name__: f for f in TOOLS}
for line in sys.stdin:
    call = json.loads(line)
    try:
        reply = {"output": functions[call["call"]](**call["input"])}
    except Exception as error:
        reply = {"error": str(error)}
    print(json.dumps({"id": call["id"], **reply}), flush=True)
