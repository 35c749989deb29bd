"""The production jig in Python, without a header: the plain interface of the library by ctypes.

usage: production_jig.py IMAGE KEY=VALUE LINK
"""
import ctypes
import os
import signal
import sys

library = ctypes.CDLL(os.environ.get("WRYTOGRAPH_LIBRARY", "libwrytograph-host.so.0.2"))
library.wry_plain_new.restype = ctypes.c_void_p
library.wry_plain_text.restype = ctypes.c_char_p
WATCH = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_void_p, ctypes.c_char_p, ctypes.c_uint)


class Failed(Exception):
    """A job failed: its exit code, what happened, and what to do."""


class Jig:
    def __init__(self, **options):
        self.jig = ctypes.c_void_p(library.wry_plain_new())
        self.interrupted = False
        self.step = None
        self.watch = WATCH(self.on_progress)
        library.wry_plain_watch(self.jig, self.watch, None)
        for name, value in options.items():
            self.set(name.replace("_", "-"), value)

    def on_progress(self, _context, step, figure):
        if step != self.step:
            self.step = step
            print(f"{figure // 10:3} % {step.decode()}")
        return self.interrupted

    def text(self, name):
        found = library.wry_plain_text(self.jig, name.encode())
        return found.decode() if found is not None else None

    def check(self, code):
        if code != 0:
            raise Failed(code, self.text("problem"), self.text("advice") or "")

    def set(self, name, value):
        self.check(library.wry_plain_set(self.jig, name.encode(), value.encode()))

    def do(self, *jobs):
        for job in jobs:
            self.check(library.wry_plain_do(self.jig, job.encode()))

    def run(self, name, *jobs):
        library.wry_plain_begin_run(self.jig, name.encode(), len(jobs))
        try:
            self.do(*jobs)
        finally:
            library.wry_plain_end_run(self.jig)

    def close(self):
        library.wry_plain_free(self.jig)


def main():
    if len(sys.argv) != 4:
        sys.exit("usage: production_jig.py IMAGE KEY=VALUE LINK")
    image, setting, link = sys.argv[1:]
    jig = Jig(link=link, ledger="", leaves_running="1", image="app=" + image, set=setting)
    signal.signal(signal.SIGINT, lambda *_: setattr(jig, "interrupted", True))
    try:
        jig.run("production jig", "backup", "write", "start")
        print(f"{jig.text('sectors')} sectors written; backup {jig.text('backup')}")
        print(f"{link}: {jig.text('outcome')}")
    except Failed as failed:
        print(f"{link}: {jig.text('outcome')}")
        print(failed.args[1], failed.args[2], sep="\n", file=sys.stderr)
        sys.exit(failed.args[0])
    finally:
        jig.close()


main()
