"""Serves a terminal over RFC 2217 with python3-serial's server class, to one client.

usage: serve_terminal.py TERMINAL; prints its TCP port
"""
import select
import socket
import sys

import serial
import serial.rfc2217

port = serial.Serial(sys.argv[1], 115200, timeout=0)
# A pseudo-terminal has no modem lines; what is asked of them is accepted and goes nowhere.
for name in ("cts", "dsr", "ri", "cd"):
    setattr(type(port), name, property(lambda self: False))
for name in ("_update_dtr_state", "_update_rts_state"):
    setattr(port, name, lambda: None)


class Connection:
    def __init__(self, client):
        self.client = client

    def write(self, data):
        self.client.sendall(data)


server = socket.create_server(("127.0.0.1", 0))
print(server.getsockname()[1], flush=True)
client, _ = server.accept()
client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
manager = serial.rfc2217.PortManager(port, Connection(client))
while True:
    ready, _, _ = select.select([client, port.fd], [], [])
    if port.fd in ready:
        client.sendall(b"".join(manager.escape(port.read(4096))))
    if client in ready:
        data = client.recv(4096)
        if not data:
            break
        port.write(b"".join(manager.filter(data)))
