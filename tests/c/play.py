"""Plays a pack by inputs from a file, through ctypes, and prints a sum of all its poses: see c_test.cpp."""
import ctypes
import sys


class Transform(ctypes.Structure):
    _fields_ = [("rotation", ctypes.c_float * 4), ("translation", ctypes.c_float * 3), ("scale", ctypes.c_float * 3)]


class Travel(ctypes.Structure):
    _fields_ = [("move", ctypes.c_float * 3), ("turn", ctypes.c_float), ("share", ctypes.c_float)]


class Event(ctypes.Structure):
    _fields_ = [("time", ctypes.c_double), ("kind", ctypes.c_int32), ("what", ctypes.c_uint16),
                ("state", ctypes.c_uint16), ("weight", ctypes.c_float)]


library, pack, inputs = sys.argv[1:]
gait = ctypes.CDLL(library)
for name in ("number", "flag", "choice", "signal"):
    find = getattr(gait, "gait_find_" + name)
    find.argtypes, find.restype = [ctypes.c_void_p, ctypes.c_char_p], ctypes.c_uint16
gait.gait_problem.restype = gait.gait_state_name.restype = ctypes.c_char_p
gait.gait_joint_count.restype = ctypes.c_size_t
gait.gait_state.restype = ctypes.c_uint16
character, performer = ctypes.c_void_p(), ctypes.c_void_p()
assert gait.gait_pin_target(b"SSE4") == 0
assert gait.gait_open_file(pack.encode(), ctypes.byref(character)) == 0, gait.gait_problem()
assert gait.gait_create(character, ctypes.byref(performer)) == 0
joints = gait.gait_joint_count(character)
pose, travel, events = (Transform * joints)(), Travel(), (Event * 64)()
total, told = 14695981039346656037, 0
for line in open(inputs):
    kind, name, value = line.split()
    name = name.encode()
    if kind == "n":
        code = gait.gait_set_number(performer, gait.gait_find_number(character, name), ctypes.c_float(float(value)))
    elif kind == "f":
        code = gait.gait_set_flag(performer, gait.gait_find_flag(character, name), int(value))
    elif kind == "c":
        code = gait.gait_set_choice(performer, gait.gait_find_choice(character, name), value.encode())
    elif kind == "s":
        code = gait.gait_send(performer, gait.gait_find_signal(character, name))
    else:
        many = ctypes.c_size_t()
        code = gait.gait_advance_and_tell(performer, ctypes.c_double(float(value)), events, ctypes.c_size_t(64),
                                          ctypes.byref(many))
        told += many.value
        gait.gait_get_travel(performer, ctypes.byref(travel))
        gait.gait_plant_feet(performer, ctypes.byref(travel))
        gait.gait_pose(performer, pose, ctypes.c_size_t(joints))
        for byte in bytes(pose) + bytes(travel):
            total = ((total ^ byte) * 1099511628211) & 0xFFFFFFFFFFFFFFFF
    assert code == 0, gait.gait_problem()
print(f"{total:016x} {told} {gait.gait_state_name(character, gait.gait_state(performer, 0)).decode()}")
gait.gait_destroy(performer)
gait.gait_close(character)
