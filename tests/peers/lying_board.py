#!/usr/bin/env python3
"""A board that speaks the protocol (docs/protocol.md) and lies, over TCP: sound frames, and in them
whatever chance gives. The same seed lies in the same way.

usage: lying_board.py SEED      prints its port
"""
import random
import socket
import struct
import sys
import zlib

chance = random.Random(int(sys.argv[1]))
HELLO, SPEED, ERASE, DATA, READ, DIGEST, STATUS, START = 1, 2, 3, 4, 5, 6, 8, 7
NUMBERS = [0, 1, 7, 255, 256, 4095, 4096, 4097, 65535, 65536, 1 << 22, (1 << 22) + 4096, 1 << 31, 0xFFFFFFFF]


def frame(body):
    whole = body + struct.pack("<I", zlib.crc32(body))
    return b"~" + b"".join(bytes([0x7D, b ^ 0x20]) if b in (0x7D, 0x7E) else bytes([b]) for b in whole) + b"~"


def unstuff(piece):
    out, escaped = bytearray(), False
    for b in piece:
        if b == 0x7D:
            escaped = True
            continue
        out.append(b ^ 0x20 if escaped else b)
        escaped = False
    return bytes(out[:-4]) if len(out) > 8 and zlib.crc32(out[:-4]) == struct.unpack("<I", out[-4:])[0] else b""


def number():
    return chance.choice(NUMBERS) if chance.random() < 0.7 else chance.getrandbits(32)


def hello(body):
    token, = struct.unpack_from("<I", body, 4)
    fields = [token, 1, 0, 255, 0x7402, 1, 0, b"\2WR\1\2\3", b"\x7fQ\x16", 7, 1 << 22, 40960, 2048, 921600,
              4096, 65536, 1024]
    if chance.random() < 0.4:
        at = chance.choice([2, 3, 4, 8, 9, 10, 11, 12, 13, 14, 15, 16])
        fields[at] = {2: 3, 3: 255, 4: 0xD103, 8: b"\0\0\0", 9: 255}.get(at, number())
        if at == 12:
            fields[at] &= 0xFFFF
    return struct.pack("<IBBHHBB6s3sBIIHIIII", *fields)


def answer(body):
    kind, seq = body[0], body[2:4]
    if kind == HELLO:
        return bytes([0x81, 0]) + seq + hello(body)
    if kind == SPEED and chance.random() < 0.9:
        return bytes([0xFF, 0]) + seq + bytes([kind, 4, 0, 0]) + struct.pack("<I", 0)
    what = chance.random()
    if what < 0.35:
        return bytes([0xFF, 0]) + seq + bytes([kind, chance.randrange(16), 0, 0]) + struct.pack("<I", number())
    length = chance.choice([0, 4, 8, 12, 16, 24, 27, 28, 36, 40, 44, 300])
    numbers = b"".join(struct.pack("<I", number()) for _ in range(length // 4 + 1))[:length]
    # The same place as asked for makes an answer likelier to be taken.
    if what < 0.8 and len(body) >= 12:
        numbers = body[4:12] + numbers[8:]
    return bytes([kind | 0x80, chance.getrandbits(3)]) + seq + numbers


def serve(connection):
    waiting = b""
    while True:
        more = connection.recv(4096)
        if not more:
            return
        waiting += more
        *pieces, waiting = waiting.split(b"~")
        for body in filter(None, map(unstuff, pieces)):
            connection.sendall(frame(answer(body)))


listener = socket.socket()
listener.bind(("127.0.0.1", 0))
listener.listen(4)
print(listener.getsockname()[1], flush=True)
while True:
    connection, _ = listener.accept()
    with connection:
        try:
            serve(connection)
        except OSError:
            pass
