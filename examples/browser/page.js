// The page: a port, and the steps of the work in their order. No framework, no network.
import { Library, OK, SerialPort } from "./library.js";
import { hex, hexBytes, judgeFile, judgePlace, readBoard, readRegions, size, whySilent } from "./board.js";

const TERMINAL_MOST = 20000; // characters that are kept

function begin() {
  const $ = (id) => document.getElementById(id);
  const state = { library: null, port: null, board: null, regions: [], files: [], backedUp: false, stop: false };
  const steps = ["connect", "look", "backup", "files", "write", "start"];

  function say(id, text, kind = "") {
    $(id).textContent = text;
    $(id).className = `says ${kind}`;
  }

  function open(step) {
    $(step).dataset.state = "open";
    for (const control of $(step).querySelectorAll("button, input, select")) control.disabled = false;
  }

  function shut(from) {
    for (const step of steps.slice(steps.indexOf(from))) {
      $(step).dataset.state = "shut";
      for (const control of $(step).querySelectorAll("button, input, select")) control.disabled = true;
    }
  }

  let drawn = 0;
  async function progress(now) {
    const bar = $("bar");
    if (performance.now() - drawn > 40) {
      drawn = performance.now();
      bar.hidden = false;
      bar.max = now.total || 1;
      bar.value = now.total ? Math.min(now.done, now.total) : 0;
      const left = now.expected > 0 ? `, about ${Math.ceil(now.expected / 1e6)} s left` : "";
      $("progress").textContent = now.lost ? "The link is lost; calling the board again."
        : now.total ? `${Math.floor((100 * now.done) / now.total)} %, ${now.speed} baud${left}` : "Calling the board.";
      await new Promise((done) => setTimeout(done));
    }
    return state.stop;
  }

  // Runs one piece of work: everything else waits, Stop ends it.
  async function work(id, what, job) {
    state.stop = false;
    document.body.classList.add("works");
    $("stop").hidden = false;
    say(id, what);
    try {
      return await job();
    } catch (error) {
      say(id, String(error.message || error), "bad");
      return undefined;
    } finally {
      document.body.classList.remove("works");
      $("stop").hidden = $("bar").hidden = true;
      $("progress").textContent = "";
    }
  }

  function fail(id, code, advice = "") {
    if (state.stop) {
      say(id, "Stopped at your request.", "bad");
      return;
    }
    say(id, `It failed: ${state.library.status(code)}. ${advice}`, "bad");
  }

  // Connect.

  async function connect(make) {
    shut("look");
    await work("connect-says", "Calling the board.", async () => {
      state.port = await make();
      const code = await state.library.call("connect", crypto.getRandomValues(new Uint32Array(1))[0],
        $("by-hand").checked);
      if (code !== OK) {
        fail("connect-says", code, whySilent(state.library));
        return;
      }
      const board = readBoard(state.library);
      const known = await state.library.call("find_layout");
      Object.assign(state, { board, regions: known ? readRegions(state.library) : [], backedUp: false, files: [] });
      $("without").checked = false; // it was said of another board
      say("connect-says", "The board answers.", "good");
      showBoard(known);
      drawMap();
      showFiles();
      ["look", "backup", "files"].forEach(open);
    });
  }

  async function makeSimulated() {
    const file = $("sim-content").files[0], cells = state.library.exports.cells();
    const board = $("sim-case").value, flash = state.library.bytes(cells, 4194304);
    if (file || !state.simulated) {
      flash.fill(0xff);
      if (file) flash.set(new Uint8Array(await file.arrayBuffer()).subarray(0, flash.length));
    }
    state.simulated = true;
    state.library.exports.use_simulated(0x7402, board === "noise" ? 30000 : 0, board === "cut" ? 150000 : 0,
      board === "strap");
    return null;
  }

  async function makeSerial() {
    const port = new SerialPort(await navigator.serial.requestPort());
    if (state.port) await state.port.close().catch(() => {});
    await port.open(115200);
    state.library.port = port;
    state.library.exports.use_serial(2000000);
    return port;
  }

  // Look.

  function showBoard(known) {
    const { board } = state;
    const rows = [["chip", `${board.title}, revision ${board.revision}`],
      ["flash", `${size(board.flash)} (${board.flash / 131072} Mbit), JEDEC ID ${board.jedec}`],
      ["address", board.address], ["speed", `${board.speed} baud`],
      ["regions", ["not known: files need offsets", "by the board's own table", "the usual ones of this chip"][known]]];
    $("facts").replaceChildren(...rows.flatMap(([name, value]) => {
      const term = document.createElement("dt"), text = document.createElement("dd");
      term.textContent = name;
      text.textContent = value;
      return [term, text];
    }));
  }

  function drawMap() {
    const { board, regions, files } = state, map = $("map"), made = [];
    const at = (offset) => (1000 * offset) / board.flash;
    const add = (kind, offset, length, label, row) => {
      const rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      const title = document.createElementNS("http://www.w3.org/2000/svg", "title");
      title.textContent = `${label}: ${hex(offset)} to ${hex(offset + length - 1)}, ${size(length)}`;
      for (const [name, value] of Object.entries({ x: at(offset), y: row, width: Math.max(at(length), 3), height: 26 }))
        rect.setAttribute(name, value);
      rect.setAttribute("class", kind);
      rect.append(title);
      made.push(rect);
    };
    add("free", 0, board.flash, "flash", 4);
    regions.forEach((region, i) => add(`region r${i % 5}`, region.offset, region.length, region.name, 4));
    for (const file of files.filter((f) => !f.refused && f.offset !== undefined))
      add("file", file.offset, file.length, file.name, 34);
    map.replaceChildren(...made);
    $("legend").replaceChildren(...regions.map((region, i) => {
      const item = document.createElement("li");
      item.className = `r${i % 5}`;
      item.textContent = `${region.name} ${hex(region.offset)} ${size(region.length)}`;
      return item;
    }));
  }

  // Back up.

  async function backUp() {
    await work("backup-says", "Reading the flash.", async () => {
      const { flash, address } = state.board;
      state.backupRoom ??= state.library.room(flash + 32);
      const digest = state.backupRoom + flash;
      const code = await state.library.call("back_up", 0, flash, state.backupRoom, digest);
      if (code !== OK) return fail("backup-says", code);
      const content = state.library.bytes(state.backupRoom, flash).slice();
      const sha256 = hexBytes(state.library.bytes(digest, 32));
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([content]));
      link.download = `${address.replaceAll(":", "")}-${new Date().toISOString().slice(0, 10)}.bin`;
      link.click();
      state.backedUp = true;
      say("backup-says", `Saved as ${link.download}: ${size(flash)}, SHA-256 ${sha256}, as the board has it. `
        + "Keep it with this board: its calibration is in it.", "good");
      return showFiles();
    });
  }

  // Files.

  async function takeFiles(list) {
    for (const file of list) {
      const content = new Uint8Array(await file.arrayBuffer());
      const found = judgeFile(state.library, file.name, content, state.library.keep(content), state.board, state.regions);
      if (!found.refused && found.places.length > 0) found.offset = found.places[0].offset;
      state.files = state.files.filter((other) => other.name !== file.name).concat(found);
    }
    showFiles();
  }

  function placeOf(file) {
    const choice = document.createElement("select"), offset = document.createElement("input");
    choice.setAttribute("aria-label", `Place of ${file.name}`);
    for (const region of file.places) choice.add(new Option(`region ${region.name}`, region.offset));
    choice.add(new Option("at an offset", "offset"));
    choice.value = file.places.some((r) => r.offset === file.offset) ? String(file.offset) : "offset";
    offset.value = file.offset === undefined ? "" : hex(file.offset);
    offset.placeholder = "0x40000";
    offset.size = 10;
    offset.setAttribute("aria-label", `Offset of ${file.name}`);
    offset.hidden = choice.value !== "offset";
    choice.onchange = () => {
      file.offset = choice.value === "offset" ? undefined : Number(choice.value);
      showFiles();
    };
    offset.onchange = () => {
      file.offset = /^0x[0-9a-f]+$|^\d+$/i.test(offset.value) ? Number(offset.value) : undefined;
      showFiles();
    };
    return [choice, offset];
  }

  function showFiles() {
    $("file-list").replaceChildren(...state.files.map((file) => {
      const item = document.createElement("li"), name = document.createElement("b"), what = document.createElement("span");
      const away = document.createElement("button");
      name.textContent = file.name;
      what.textContent = file.refused ? ` ${file.refused}` : ` ${size(file.length)}, ${file.what}`;
      item.className = file.refused ? "bad" : "";
      away.textContent = "Remove";
      away.onclick = () => {
        state.files = state.files.filter((other) => other !== file);
        showFiles();
      };
      item.append(name, what, ...(file.refused ? [] : placeOf(file)), away);
      return item;
    }));
    plan();
  }

  // Plan, as far as it goes without the board.
  function plan() {
    const { library, files } = state, ready = files.filter((f) => !f.refused);

    drawMap();
    shut("write");
    if (files.length === 0) return say("files-says", "Choose the images of this release.");
    if (ready.length < files.length) return say("files-says", "Nothing is written while a file is refused: remove it.", "bad");
    if (ready.some((f) => f.offset === undefined)) return say("files-says", "A file has no place yet.", "bad");
    const misplaced = ready.map((f) => judgePlace(f, state.regions, state.board)).find((reason) => reason);
    if (misplaced) return say("files-says", `${misplaced}.`, "bad");
    library.exports.plan_begin();
    ready.forEach((f) => library.exports.plan_add(f.offset, f.length, f.at));
    const code = library.exports.plan_check(), fault = (w) => library.exports.fault_fact(w, 1);
    if (code !== OK)
      return say("files-says", `${library.status(code)}: ${hex(fault(0))}, ${size(fault(1))}`, "bad");
    const total = ready.reduce((sum, f) => sum + f.length, 0);
    say("files-says", `The plan is valid: ${size(total)} in ${ready.length} place${ready.length === 1 ? "" : "s"}; `
      + "what is beside them stays.", "good");
    open("write");
    $("write-button").disabled = !(state.backedUp || $("without").checked);
    return undefined;
  }

  // Write, verify.

  async function write() {
    await work("write-says", "Writing.", async () => {
      const time = await state.library.call("plan_time");
      if (time >= 0) say("write-says", `Writing; about ${Math.ceil(time / 1e6)} s.`);
      const code = await state.library.call("plan_write");
      if (code !== OK)
        return fail("write-says", code, "Connect again and write the same files: sectors that are right already are "
          + "left alone.");
      say("write-says", `Written, and verified by the board's SHA-256: ${state.library.exports.sectors_written()} `
        + "sectors; all others had the right content.", "good");
      return open("start");
    });
  }

  async function verify() {
    await work("write-says", "Comparing.", async () => {
      const code = await state.library.call("plan_verify");
      if (code !== OK) return fail("write-says", code, `First at ${hex(state.library.exports.fault_fact(0, 0))}.`);
      say("write-says", "The flash holds these files, by the board's SHA-256.", "good");
      return open("start");
    });
  }

  // Start, terminal.

  function show(text) {
    const terminal = $("terminal");
    terminal.textContent = (terminal.textContent + text).slice(-TERMINAL_MOST);
    terminal.scrollTop = terminal.scrollHeight;
  }

  async function listen() {
    const room = (state.hearRoom ??= state.library.room(4096)), decoder = new TextDecoder();
    state.listens = true;
    while (state.listens) {
      for (const task of state.asked.splice(0)) await task();
      const got = await state.library.call("console_read", room, 4096, 50000);
      if (got < 0) break;
      // eslint-disable-next-line no-control-regex
      if (got > 0) show(decoder.decode(state.library.bytes(room, got).slice(), { stream: true }).replace(/[^\n\t\x20-\uffff]/g, ""));
      await new Promise((done) => setTimeout(done, state.port ? 0 : 40));
    }
    state.listens = false;
  }

  async function start() {
    await work("start-says", "Starting.", async () => {
      const code = await state.library.call("start");
      if (code !== OK) return fail("start-says", code);
      say("start-says", "The board has left loading mode. Connect again for further work.", "good");
      state.asked = [];
      shut("look");
      open("start");
      listen();
      return undefined;
    });
  }

  function sendLine() {
    const ends = { crlf: "\r\n", lf: "\n", cr: "\r" };
    const bytes = new TextEncoder().encode($("line").value + ends[$("line-end").value]);
    $("line").value = "";
    if (!state.listens) return;
    state.sendRoom ??= state.library.room(4096);
    state.asked.push(async () => {
      state.library.bytes(state.sendRoom, bytes.length).set(bytes.subarray(0, 4096));
      await state.library.call("console_write", state.sendRoom, Math.min(bytes.length, 4096));
    });
  }

  async function stopListening() {
    while (state.listens || state.library.busy) {
      state.listens = false;
      await new Promise((done) => setTimeout(done, 20));
    }
  }

  shut("look");
  Library.load("wrytograph.wasm", null, progress).then((library) => {
    state.library = library;
    $("version").textContent = library.text(library.exports.version());
    const serial = "serial" in navigator;
    $("serial").disabled = !serial;
    $("no-serial").hidden = serial;
    $("serial").onclick = async () => {
      await stopListening();
      await connect(makeSerial);
    };
    $("simulated").onclick = async () => {
      await stopListening();
      await connect(makeSimulated);
    };
    $("stop").onclick = () => (state.stop = true);
    $("backup-button").onclick = backUp;
    $("choose").onchange = async (event) => {
      await takeFiles([...event.target.files]);
      event.target.value = ""; // the same file may be chosen again
    };
    $("without").onchange = plan;
    $("write-button").onclick = write;
    $("verify-button").onclick = verify;
    $("start-button").onclick = start;
    $("reset-button").onclick = () => state.asked?.push(() => state.library.call("reset"));
    $("line-form").onsubmit = (event) => {
      event.preventDefault();
      sendLine();
    };
    document.body.dataset.ready = "yes";
  }).catch((error) => say("connect-says", `The library cannot be loaded: ${error.message}`, "bad"));
  window.onbeforeunload = (event) => document.body.classList.contains("works") && event.preventDefault();
  window.page = state; // for whoever looks inside, such as the tests
}

if (typeof document !== "undefined") begin();
