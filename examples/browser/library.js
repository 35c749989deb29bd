// The library in WebAssembly. Calls that wait are unwound and rewound (binaryen's asyncify), one at a time.

const UNWINDING = 1, REWINDING = 2;

export class Library {
  static async load(source, port, progress) {
    const library = new Library();
    library.port = port;
    library.progress = progress;
    const waits = (make) => (...words) => library.wait(make, words);
    const page = {
      write: waits((at, n) => library.port.write(library.bytes(at, n).slice())),
      read: waits(async (at, room, time) => {
        const got = await library.port.read(room, time);
        if (got) library.bytes(at, got.length).set(got);
        return got ? got.length : -1;
      }),
      set_speed: waits((baud) => library.port.setSpeed(baud)),
      set_lines: waits((reset, boot) => library.port.setLines(!!reset, !!boot)),
      send_break: waits(() => library.port.sendBreak()),
      sleep: waits((time) => new Promise((done) => setTimeout(() => done(0), time / 1000))),
      now: () => performance.now() * 1000,
      progress: waits(async (step, done, total, expected, speed, lost) =>
        (await library.progress({ step, done, total, expected, speed, lost: !!lost })) ? 1 : 0),
    };
    const refused = () => 8; // the simulated board's text functions print nothing
    const wasi_snapshot_preview1 = { fd_close: refused, fd_seek: refused, fd_write: refused };
    const bytes = source instanceof Uint8Array ? source : await (await fetch(source)).arrayBuffer();
    const { instance } = await WebAssembly.instantiate(bytes, { page, wasi_snapshot_preview1 });
    library.exports = instance.exports;
    library.exports._initialize();
    library.stack = library.exports.kept_stack();
    return library;
  }

  wait(make, words) {
    if (this.exports.asyncify_get_state() === REWINDING) {
      this.exports.asyncify_stop_rewind();
      return this.answer;
    }
    this.pending = make(...words);
    this.exports.asyncify_start_unwind(this.stack);
    return 0;
  }

  // Calls an exported function; one call at a time.
  async call(name, ...words) {
    if (this.busy) throw new Error("the page is at work already");
    this.busy = true;
    try {
      let result = this.exports[name](...words);
      while (this.exports.asyncify_get_state() === UNWINDING) {
        this.exports.asyncify_stop_unwind();
        this.answer = await this.pending;
        this.exports.asyncify_start_rewind(this.stack);
        result = this.exports[name](...words);
      }
      return result;
    } finally {
      this.busy = false;
    }
  }

  bytes(at, n) {
    return new Uint8Array(this.exports.memory.buffer, at, n);
  }

  text(at) {
    const all = new Uint8Array(this.exports.memory.buffer, at);
    return new TextDecoder().decode(all.slice(0, all.indexOf(0)));
  }

  // Memory beyond the library's own, which has a fixed size. It is never given back: use it again.
  room(n) {
    const page = 65536, at = this.exports.memory.buffer.byteLength;
    this.exports.memory.grow(Math.ceil(n / page));
    return at;
  }

  keep(content) {
    const at = this.room(content.length);
    this.bytes(at, content.length).set(content);
    return at;
  }

  status(code) {
    return this.text(this.exports.status_text(code));
  }
}

export const OK = 0;

// Web Serial. A change of speed closes and opens the port, which is what the API allows.

export class SerialPort {
  constructor(device) {
    this.device = device;
    this.queue = [];
    this.signals = { dataTerminalReady: false, requestToSend: false };
  }

  async open(baud) {
    await this.device.open({ baudRate: baud, bufferSize: 65536 });
    this.gone = false;
    this.reader = this.device.readable.getReader();
    this.pump = this.run(this.reader);
    await this.device.setSignals(this.signals);
  }

  async run(reader) {
    try {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) break;
        this.queue.push(value);
        this.wake?.();
      }
    } catch {
      this.gone = true; // unplugged
    }
    reader.releaseLock();
    this.wake?.();
  }

  async close() {
    await this.device.writable?.close().catch(() => {}); // what was written leaves first
    await this.reader?.cancel().catch(() => {});
    await this.pump;
    await this.device.close();
  }

  async write(bytes) {
    try {
      const writer = this.device.writable.getWriter();
      await writer.write(bytes);
      writer.releaseLock();
      return 0;
    } catch {
      return -1;
    }
  }

  async read(room, time) {
    if (this.queue.length === 0 && !this.gone && time > 0) {
      await new Promise((done) => {
        const timer = setTimeout(done, time / 1000);
        this.wake = () => {
          clearTimeout(timer);
          done();
        };
      });
      this.wake = null;
    }
    if (this.queue.length === 0) return this.gone ? null : new Uint8Array(0);
    const first = this.queue[0], taken = first.subarray(0, room);
    if (taken.length === first.length) this.queue.shift();
    else this.queue[0] = first.subarray(room);
    return taken;
  }

  async setSpeed(baud) {
    try {
      await this.close();
      await this.open(baud);
      return 0;
    } catch {
      return 1;
    }
  }

  // RTS holds the board in reset, DTR its boot strap: the usual wiring.
  async setLines(reset, boot) {
    this.signals = { dataTerminalReady: boot, requestToSend: reset };
    try {
      await this.device.setSignals(this.signals);
      return 0;
    } catch {
      return -1;
    }
  }

  async sendBreak() {
    await this.device.setSignals({ break: true });
    await new Promise((done) => setTimeout(done, 20));
    await this.device.setSignals({ break: false });
    return 0;
  }
}
