#!/usr/bin/env python3
"""A serial line between two TCP ports, no faster than its baud rate in either direction.

usage: paced_line PORT BAUD

Connects to PORT of this computer whenever somebody connects to the port that it prints.
"""
import selectors
import socket
import sys
import time

port, baud = int(sys.argv[1]), int(sys.argv[2])
server = socket.create_server(("127.0.0.1", 0))
print(server.getsockname()[1], flush=True)
while True:
    near, _ = server.accept()
    far = socket.create_connection(("127.0.0.1", port))
    for end in (near, far):
        end.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    other = {near: far, far: near}
    free_at = {near: 0.0, far: 0.0}  # when the line has taken what went this way
    selector = selectors.DefaultSelector()
    for end in other:
        selector.register(end, selectors.EVENT_READ)
    alive = True
    while alive:
        for key, _ in selector.select():
            now = time.monotonic()
            if free_at[key.fileobj] > now:
                continue
            data = key.fileobj.recv(max(1, baud // 10 // 500))
            try:
                other[key.fileobj].sendall(data)
            except OSError:
                data = b""
            alive = alive and bool(data)
            free_at[key.fileobj] = max(free_at[key.fileobj], now - 0.002) + len(data) * 10 / baud
        time.sleep(0.0005)
    near.close()
    far.close()
