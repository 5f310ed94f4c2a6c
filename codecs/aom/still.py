"""still.py CALLED IN OUT: takes the code of functions out of a WebAssembly module that are not called.

CALLED has names, one a line; lines from # on are remarks. IN has a name section. In OUT every other function traps
("unreachable") at once, and there are no custom sections. A program that never calls one does the same with OUT,
which is compiled in a third of the time; one that does must take IN, so that no harm is done where CALLED is too short.

Source: WebAssembly Core Specification 2.0, 5.5 (binary format of modules), and its appendix "Custom Sections" (names).
"""
import sys


def number(b, at):
    """The unsigned LEB128 number at a place, and where it ends."""
    value = shift = 0
    while True:
        value |= (b[at] & 0x7F) << shift
        shift += 7
        at += 1
        if b[at - 1] < 0x80:
            return value, at


def coded(n):
    out = bytearray()
    while n >= 0x80:
        out.append(n & 0x7F | 0x80)
        n >>= 7
    out.append(n)
    return bytes(out)


def text(b, at):
    n, at = number(b, at)
    return b[at : at + n].decode(), at + n


def sections(b):
    at = 8
    while at < len(b):
        n, begin = number(b, at + 1)
        yield b[at], b[begin : begin + n]
        at = begin + n


def imported(b):
    """How many functions an import section has."""
    count, at = number(b, 0)
    functions = 0
    for _ in range(count):
        _, at = text(b, at)
        _, at = text(b, at)
        if b[at] != 0:
            raise SystemExit("still.py: an import that is not a function")
        functions += 1
        _, at = number(b, at + 1)
    return functions


def names(b):
    """The names of functions by index, of a name section."""
    out = {}
    _, at = text(b, 0)
    while at < len(b):
        kind = b[at]
        n, at = number(b, at + 1)
        end = at + n
        if kind == 1:
            count, at = number(b, at)
            for _ in range(count):
                index, at = number(b, at)
                out[index], at = text(b, at)
        at = end
    return out


def main(called, source, target):
    keep = {line.strip() for line in open(called) if not line.startswith("#")}
    b = open(source, "rb").read()
    first, name = 0, {}
    for kind, body in sections(b):
        if kind == 2:
            first = imported(body)
        elif kind == 0 and text(body, 0)[0] == "name":
            name = names(body)
    if not name:
        raise SystemExit("still.py: %s has no names" % source)
    out = bytearray(b[:8])
    for kind, body in sections(b):
        if kind == 0:
            continue
        if kind == 10:
            count, at = number(body, 0)
            new = bytearray(coded(count))
            for i in range(count):
                n, at = number(body, at)
                code = body[at : at + n]
                at += n
                if name.get(first + i) not in keep:
                    code = bytes([0, 0x00, 0x0B])  # no locals, unreachable, end
                new += coded(len(code)) + code
            body = bytes(new)
        out += bytes([kind]) + coded(len(body)) + body
    open(target, "wb").write(out)


main(*sys.argv[1:])
