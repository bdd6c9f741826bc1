#!/usr/bin/env python3
"""Holds the includes of src/ and include/ to the rooms: a floor uses only the floors below it.

    scripts/rooms.py [ROOT]     prints each include that points up, and ends with 1 when there is one

Each folder of src/ is a room. A public header belongs to the room that implements it, or to the lowest that needs it.
Those of the runtime reach none of authoring.
"""
import pathlib
import re
import sys

# From the ground up. The first six make the runtime, the next five authoring; the stage is a library of its own, in
# stage/server/.
ROOMS = ["diagnostics", "math", "rig", "character", "perform", "game", "c", "clip", "compile", "files", "check", "begin", "stage"]
RUNTIME = ROOMS[:7]

# The room of each public header.
HEADERS = {
    "diagnostics": ["api", "acceptance", "diagnostic", "no_index", "text"],
    "math": ["ease", "eases", "eigen", "elementary", "ground_place", "kept", "math", "transform", "travel"],
    "rig": ["body_reading", "rig"],
    "character": ["character", "clip_packing", "fade_style", "handles", "layer_mode", "open", "parameter_kind", "pick_order", "records",
                  "shared_character"],
    "perform": ["carry_over", "events", "performer", "refused_call", "saved_state", "space", "state_changes"],
    "game": ["bindings", "crowd", "footprints", "joint_map", "plain_body", "steering"],
    "clip": ["clip", "cut", "document", "fit", "measure", "motion_kind"],
    "compile": ["compile", "cue_player", "cue_sheet", "lone_state"],
    "files": ["bvh", "file_reader", "gltf", "load", "pack"],
    "check": ["inspect", "smoothness", "steady_motion", "why"],
    "begin": ["begin", "gait"],
    "stage": ["stage"],
}
ROOM_OF_HEADER = {f"gait/{name}.hpp": room for room, names in HEADERS.items() for name in names} | {"gait/gait.h": "c"}
INCLUDE = re.compile(r'^\s*#\s*include\s+["<]([^">]+)[">]')


def room_of(path):
    """The room that a path as it is included belongs to; None for a header of somebody else's."""
    if path in ROOM_OF_HEADER:
        return ROOM_OF_HEADER[path]
    first = path.split("/")[0]
    return first if first in ROOMS else None


def main():
    root = pathlib.Path(sys.argv[1] if len(sys.argv) > 1 else pathlib.Path(__file__).parent.parent)
    faults = []
    files = 0
    for base in ("include", "src", "stage/server"):
        for file in sorted((root / base).rglob("*.[ch]pp")):
            name = file.relative_to(root / base).as_posix()
            shown = file.relative_to(root).as_posix()
            own = "stage" if base == "stage/server" else room_of(name)
            files += 1
            if own is None:
                faults.append(f"{shown}: belongs to no room; add it to scripts/rooms.py")
                continue
            for number, line in enumerate(file.read_text(encoding="utf-8").split("\n"), 1):
                found = INCLUDE.match(line)
                if not found:
                    continue
                room = room_of(found.group(1))
                if found.group(1).startswith("gait/") and room is None:
                    faults.append(f"{shown}:{number}: {found.group(1)} belongs to no room; add it to scripts/rooms.py")
                elif room is not None and ROOMS.index(room) > ROOMS.index(own):
                    what = "authoring" if own in RUNTIME and room not in RUNTIME else f"'{room}'"
                    faults.append(f"{shown}:{number}: '{own}' may not include {found.group(1)}, which belongs to {what}, "
                                  "a floor above it")
    for fault in faults:
        print(fault)
    if not faults:
        print(f"{files} files in {len(ROOMS)} rooms; no include points up")
    return 1 if faults else 0


sys.exit(main())
