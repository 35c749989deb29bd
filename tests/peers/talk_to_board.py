"""Talks to a served board as a program of its own would, with python3-serial's RFC 2217 client:
sets the speed, resets the board with the control lines, and asks the firmware for its version.

usage: talk_to_board.py rfc2217://HOST:PORT
"""
import sys

import serial

port = serial.serial_for_url(sys.argv[1], do_not_open=True, timeout=3)
port.baudrate = 9600
port.rts = False
port.dtr = False
port.open()
port.baudrate = 115200
port.rts = True
port.reset_input_buffer()
port.rts = False
text = port.read_until(b"gauge ready\r\n")
port.write(b"version\r\n")
answer = port.read_until(b"\r\n")
while answer.startswith(b"tide "):
    answer = port.read_until(b"\r\n")
print("booted" if b"gauge ready" in text else "silent")
print("version", answer.decode("ascii", "replace").strip())
port.close()
