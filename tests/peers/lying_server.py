#!/usr/bin/env python3
"""A server that speaks PostgreSQL's protocol (version 3.0) and lies from the N-th request on.

usage: lying_server.py LIE [N]      prints its port; a request is a query or a synced statement.
Lies: none, no-row, null, columns, huge, parameters, notices, copy, endless, silence, hang-up, echo,
refuse=SQLSTATE (rows whose program is '0.0.0'), refuse-all=SQLSTATE, old-schema=WORD (its schema is an
old one, and statements that begin with WORD are refused).
"""
import socket
import struct
import sys
import threading
import time

lie, from_request = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 1
taken = set()
lock = threading.Lock()


def message(kind, body=b""):
    return kind + struct.pack(">I", len(body) + 4) + body


def ready():
    return message(b"Z", b"I")


def fields(names):
    return message(b"T", struct.pack(">H", len(names)) + b"".join(
        name.encode() + b"\0" + struct.pack(">IHIhih", 0, 0, 25, -1, -1, 0) for name in names))


def row(values):
    return message(b"D", struct.pack(">H", len(values)) + b"".join(
        struct.pack(">i", -1) if value is None else struct.pack(">I", len(value)) + value for value in values))


def done(tag=b"SELECT 1"):
    return message(b"C", tag + b"\0")


def trouble(kind, state, words):
    return message(kind, b"SERROR\0VERROR\0C" + state.encode() + b"\0M" + words + b"\0\0")


ESCAPES = b"\x1b[31mred\x1b]0;title\x07 \xff moorings\r\nsecond line"


class Client:
    def __init__(self, connection):
        self.connection, self.requests, self.text, self.values = connection, 0, "", []

    def read(self, n):
        found = b""
        while len(found) < n:
            more = self.connection.recv(n - len(found))
            if not more:
                raise EOFError
            found += more
        return found

    def answer(self):
        """An honest one."""
        if "to_regclass" in self.text:
            return fields(["count"]) + row([b"1"]) + done()
        if "max(version)" in self.text:
            return fields(["max"]) + row([b"2"]) + done()
        if "INSERT INTO run" in self.text:
            taken.add(self.values[0])
            return done(b"INSERT 0 1")
        if self.text.startswith("SELECT"):
            return fields(["id"]) + done(b"SELECT 0")
        return done(self.text.split()[0].encode())

    def refused(self):
        what, _, state = lie.partition("=")
        if what == "old-schema" and "max(version)" in self.text:
            return fields(["max"]) + row([b"1"]) + done()
        if what == "old-schema" and self.text.lstrip().startswith(state):
            return trouble(b"E", "42501", b"permission denied " + ESCAPES)
        if "INSERT INTO run" not in self.text or what not in ("refuse", "refuse-all"):
            return None
        if what == "refuse" and b"0.0.0" not in self.values:
            return None
        return trouble(b"E", state, b"not this one " + ESCAPES)

    def lies(self):
        if lie == "no-row":
            return fields(["count"]) + done(b"SELECT 0")
        if lie == "null":
            return fields(["count"]) + row([None]) + done()
        if lie == "columns":
            return fields([f"c{i}" for i in range(400)]) + row([b"7"] * 400) * 3 + done()
        if lie == "notices":
            return trouble(b"N", "01000", ESCAPES) * 5000 + self.answer()
        if lie == "copy":
            return message(b"G", b"\0\0\0")
        if lie == "endless":
            return done() * 200000
        if lie == "echo":
            return trouble(b"E", "28P01", b"the password capstan is wrong " + ESCAPES)
        if lie == "huge":
            self.connection.sendall(fields(["count"]) + b"D" + struct.pack(">IHI", 900000010, 1, 900000000))
            for _ in range(900):
                self.connection.sendall(b"7" * 1000000)
            return done()
        if lie == "parameters":
            return fields(["count"]) + message(b"t", struct.pack(">HI", 1, 25)) * 3000000 + done()
        if lie == "hang-up":
            raise EOFError
        if lie == "silence":
            time.sleep(3600)
        return self.refused() or self.answer()

    def respond(self, synced):
        self.requests += 1
        if synced:
            self.connection.sendall(message(b"1") + message(b"2"))
        self.connection.sendall((self.lies() if self.requests >= from_request else self.answer()) + ready())

    def bound(self, body):
        """The values of a Bind message."""
        at = body.index(b"\0", body.index(b"\0") + 1) + 1
        at += 2 + 2 * struct.unpack_from(">H", body, at)[0]
        count = struct.unpack_from(">H", body, at)[0]
        at += 2
        values = []
        for _ in range(count):
            n = struct.unpack_from(">i", body, at)[0]
            values.append(None if n < 0 else body[at + 4:at + 4 + n])
            at += 4 + max(n, 0)
        return values

    def start(self):
        while True:
            n, code = struct.unpack(">II", self.read(8))
            self.read(n - 8)
            if code not in (80877103, 80877104):
                break
            self.connection.sendall(b"N")
        self.connection.sendall(message(b"R", struct.pack(">I", 0)) + ready())

    def serve(self):
        self.start()
        while True:
            kind = self.read(1)
            body = self.read(struct.unpack(">I", self.read(4))[0] - 4)
            if kind == b"Q":
                self.text = body.rstrip(b"\0").decode()
                self.respond(False)
            elif kind == b"P":
                self.text = body.split(b"\0")[1].decode()
            elif kind == b"B":
                self.values = self.bound(body)
            elif kind == b"S":
                self.respond(True)


def run(connection):
    with connection:
        try:
            Client(connection).serve()
        except (EOFError, OSError):
            pass


listener = socket.socket()
listener.bind(("127.0.0.1", 0))
listener.listen(16)
print(listener.getsockname()[1], flush=True)
while True:
    threading.Thread(target=run, args=(listener.accept()[0],), daemon=True).start()
