#!/usr/bin/env python3
"""Makes a program with a boot header, or a region table, as docs/boot-header.md and
docs/region-table.md describe them.

    make_image.py program FILE [kind=3] [chip=0x7402] [flash=22] [lines=2] [clock=40] [upgrade=0]
                  [body=30000] [version=tide-gauge\\ 2.3.1] [damage=header|body|length]
    make_image.py table FILE [flash=4194304] NAME:KIND:OFFSET:LENGTH...
    make_image.py hex FILE BINARY OFFSET
"""
import hashlib
import struct
import sys
import zlib


def settings(words, **usual):
    for word in words:
        key, value = word.split("=", 1)
        usual[key] = type(usual[key])(int(value, 0) if isinstance(usual[key], int) else value)
    return usual


def program(words):
    s = settings(words, kind=3, chip=0x7402, flash=22, lines=2, clock=40, upgrade=0, body=30000,
                 version="tide-gauge 2.3.1", damage="")
    body = (hashlib.sha256(b"body").digest() * (s["body"] // 32 + 1))[:s["body"]]
    length = s["body"] * 2 if s["damage"] == "length" else s["body"]
    head = b"WRYB" + struct.pack("<BBHBBBBI", 1, s["kind"], s["chip"], s["flash"], s["lines"],
                                 s["clock"], s["upgrade"], length)
    head += s["version"].encode().ljust(32, b"\0") + bytes(12)
    head += struct.pack("<I", zlib.crc32(head) ^ (s["damage"] == "header"))
    digest = hashlib.sha256(body).digest()
    return head + (b"?" + body[1:] if s["damage"] == "body" else body) + digest


def table(words):
    flash = 4194304
    entries = b""
    count = 0
    for word in words:
        if word.startswith("flash="):
            flash = int(word[6:], 0)
            continue
        name, kind, offset, length = word.split(":")
        entries += name.encode().ljust(16, b"\0") + struct.pack(
            "<B3xIII", int(kind), int(offset, 0), int(length, 0), 0)
        count += 1
    data = b"WRYR" + struct.pack("<BBHII", 1, count, 0, flash, 0) + entries
    return data + struct.pack("<I", zlib.crc32(data))


def hex_records(binary, offset):
    with open(binary, "rb") as f:
        data = f.read()
    lines = []

    def record(kind, address, payload):
        whole = bytes([len(payload), address >> 8, address & 255, kind]) + payload
        lines.append(":" + (whole + bytes([-sum(whole) & 255])).hex().upper())

    for at in range(0, len(data), 32):
        if at == 0 or (offset + at) & 0xFFFF == 0:
            record(4, 0, ((offset + at) >> 16).to_bytes(2, "big"))
        record(0, (offset + at) & 0xFFFF, data[at:at + 32])
    record(1, 0, b"")
    return ("\n".join(lines) + "\n").encode()


def main():
    what, path, words = sys.argv[1], sys.argv[2], sys.argv[3:]
    if what == "program":
        data = program(words)
    elif what == "table":
        data = table(words)
    else:
        data = hex_records(words[0], int(words[1], 0))
    with open(path, "wb") as f:
        f.write(data)


main()
