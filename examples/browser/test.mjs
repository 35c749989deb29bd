// The page in a headless browser: the whole job on the simulated board, compared byte for byte with
// what the command leaves on its bench; an interrupted write; noise; wrong files, a wrong board.
//
// usage: node test.mjs PAGE-FOLDER FILES-FOLDER COMMAND [PICTURE-FOLDER]
import { execFileSync, spawn } from "node:child_process";
import { createServer } from "node:http";
import { connect as connectTo } from "node:net";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { chromium } from "playwright-core";
import { WebSocketServer } from "ws";

const [page_folder, files, command, pictures] = process.argv.slice(2);
const scratch = mkdtempSync(join(tmpdir(), "wrytograph-browser-"));
let broken = 0;

function check(holds, what) {
  if (holds) return;
  broken++;
  console.log(`does not hold: ${what}`);
}

const TYPES = { html: "text/html", js: "text/javascript", wasm: "application/wasm" };
const served = [];
const server = createServer((request, response) => {
  const name = request.url === "/" ? "index.html" : request.url.slice(1);
  served.push(name);
  try {
    const content = readFileSync(join(page_folder, name));
    response.writeHead(200, { "Content-Type": TYPES[name.split(".").pop()] });
    response.end(content);
  } catch {
    response.writeHead(404).end();
  }
});
await new Promise((done) => server.listen(0, "127.0.0.1", done));
const address = `http://127.0.0.1:${server.address().port}/`;
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });

async function openPage(options = {}) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, acceptDownloads: true, ...options });
  const page = await context.newPage();
  page.on("pageerror", (error) => check(false, `no error in the page: ${error.message}`));
  await page.goto(address);
  await page.waitForSelector("body[data-ready]");
  return page;
}

const says = (page, id) => page.locator(`#${id}-says`).textContent();

// Waits until the page is no longer at work; a text of any kind stands there then.
async function settled(page, id) {
  await page.waitForFunction((name) => !document.body.classList.contains("works")
    && document.querySelector(`#${name}-says`).classList.length > 1, id, { timeout: 120000 });
  return says(page, id);
}

async function connect(page, how = "clean", content = join(files, "returned-1.bin")) {
  await page.selectOption("#sim-case", how);
  if (content) await page.setInputFiles("#sim-content", content);
  else await page.setInputFiles("#sim-content", []);
  await page.click("#simulated");
  return settled(page, "connect");
}

const choose = (page, ...names) => page.setInputFiles("#choose", names.map((name) => (name.includes("/") ? name : join(files, name))));

const flash = async (page) => Buffer.from(await page.evaluate(() => {
  const { library } = window.page, bytes = library.bytes(library.exports.cells(), 4194304);
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(text);
}), "base64");

// What the command leaves on a board with the same content before.
function byCommand(...places) {
  const run = (...words) => execFileSync(command, words, { cwd: files, stdio: "pipe", env: { ...process.env,
    WRYTOGRAPH_BENCH: join(scratch, "bench"), WRYTOGRAPH_STATE: join(scratch, "state"), WRYTOGRAPH_LEDGER: join(scratch, "ledger.db") } });
  run("bench", "add", "twin", "--chip", "turnstone-t2", "--flash", "4MiB", "--content", "returned-1.bin");
  run("write", "--link", "bench:twin", "--without-backup", ...places);
  return readFileSync(join(scratch, "bench", "twin", "flash.bin"));
}

// A serial device of the browser's, whose bytes cross to a served board: a WebSocket to this process,
// and RFC 2217 from there.
function bridge(port) {
  const IAC = 255, SB = 250, SE = 240, WILL = 251, DO = 253, COM_PORT = 44;
  const sockets = new WebSocketServer({ port: 0, host: "127.0.0.1" });

  sockets.on("connection", (socket) => {
    const line = connectTo(port, "127.0.0.1");
    const order = (number, ...value) => line.write(Buffer.from([IAC, SB, COM_PORT, number,
      ...value.flatMap((b) => (b === IAC ? [b, b] : [b])), IAC, SE]));
    let telnet = [];
    line.setNoDelay(true);
    line.write(Buffer.from([IAC, WILL, COM_PORT, IAC, WILL, 0, IAC, DO, 0]));
    line.on("data", (bytes) => {
      const data = [];
      for (const byte of bytes) {
        if (telnet.length === 0 && byte !== IAC) data.push(byte);
        else telnet.push(byte);
        const [, verb] = telnet;
        if (telnet.length === 2 && verb === IAC) data.push(IAC);
        const ended = verb === SB ? telnet.at(-2) === IAC && telnet.at(-1) === SE && telnet.length > 3
          : verb >= WILL && verb !== IAC ? telnet.length === 3 : telnet.length === 2;
        if (ended) telnet = [];
      }
      if (data.length) socket.send(Buffer.from(data));
    });
    socket.on("message", (message, binary) => {
      if (binary) {
        line.write(Buffer.from([...message].flatMap((b) => (b === IAC ? [b, b] : [b]))));
        return;
      }
      const asked = JSON.parse(message);
      if (asked.baudRate) order(1, ...[24, 16, 8, 0].map((n) => (asked.baudRate >> n) & 255));
      if ("dataTerminalReady" in asked) order(5, asked.dataTerminalReady ? 8 : 9);
      if ("requestToSend" in asked) order(5, asked.requestToSend ? 11 : 12);
    });
    socket.on("close", () => line.destroy());
    line.on("error", () => socket.close());
  });
  return sockets;
}

// Runs in the page before its own module.
function standInForSerial(url) {
  let line, incoming;
  const ready = () => (line ??= new Promise((done) => {
    const socket = new WebSocket(url);
    socket.binaryType = "arraybuffer";
    socket.onmessage = (event) => incoming?.enqueue(new Uint8Array(event.data));
    socket.onopen = () => done(socket);
  }));
  const device = {
    async open({ baudRate }) {
      const socket = await ready();
      socket.send(JSON.stringify({ baudRate }));
      device.readable = new ReadableStream({ start: (c) => { incoming = c; }, cancel: () => { incoming = null; } });
      device.writable = new WritableStream({ write: (bytes) => socket.send(bytes) });
    },
    async setSignals(signals) {
      (await ready()).send(JSON.stringify(signals));
    },
    async close() {},
  };
  Object.defineProperty(navigator, "serial", { value: { requestPort: async () => device }, configurable: true });
}

const facts = {
  async the_whole_job() {
    const page = await openPage();
    const wasm = gzipSync(readFileSync(join(page_folder, "wrytograph.wasm")), { level: 9 }).length;
    check(wasm <= 150 * 1024, `${wasm} bytes of WebAssembly, compressed`);
    check(served.sort().join() === "index.html,page.js,wrytograph.wasm", `one page, one module, one library: ${served}`);
    check((await connect(page)).includes("The board answers"), "the board answers");
    check((await page.locator("#facts").textContent()).includes("Turnstone T2, revision 1"), "the chip is named");
    check((await page.locator("#legend").textContent()).includes("calibration"), "the regions are named");
    check(await page.locator("#write-button").isDisabled(), "nothing is written without files");
    const download = page.waitForEvent("download");
    await page.click("#backup-button");
    const saved = await (await download).path();
    check((await settled(page, "backup")).includes("SHA-256"), "the backup has a digest");
    check(readFileSync(saved).equals(readFileSync(join(files, "returned-1.bin"))), "the backup is the flash");
    await choose(page, "start.bin", "regions.bin", "gauge.bin");
    await page.waitForSelector("#file-list li:nth-child(3)");
    check((await says(page, "files")).includes("The plan is valid"), await says(page, "files"));
    if (pictures) await page.screenshot({ path: join(pictures, "browser.png") });
    await page.click("#write-button");
    check((await settled(page, "write")).includes("verified by the board's SHA-256"), await says(page, "write"));
    const found = await flash(page);
    check(found.equals(byCommand("start=start.bin", "table=regions.bin", "app=gauge.bin")), "the same bytes as the command's");
    await page.click("#verify-button");
    check((await settled(page, "write")).includes("The flash holds these files"), "verified again");
    await page.click("#start-button");
    await page.waitForFunction(() => document.querySelector("#terminal").textContent.includes("gauge ready"));
    await page.fill("#line", "version");
    await page.press("#line", "Enter");
    await page.waitForFunction(() => /tide-gauge 2\.3\.1\s/.test(document.querySelector("#terminal").textContent.split("gauge ready")[1]));
    await page.context().close();
  },

  async an_interrupted_write_goes_on() {
    const page = await openPage();
    await connect(page, "cut");
    await page.check("#without");
    await choose(page, "gauge.bin");
    await page.waitForSelector("#file-list li");
    await page.click("#write-button");
    check((await settled(page, "write")).includes("It failed"), "a lost wire is said");
    const half = await flash(page);
    check((await connect(page, "clean", null)).includes("The board answers"), await says(page, "connect"));
    check((await flash(page)).equals(half), "the board is the same one");
    await page.check("#without");
    await choose(page, "gauge.bin");
    await page.waitForSelector("#file-list li");
    await page.click("#write-button");
    const said = await settled(page, "write");
    check(/verified.*: (\d+) sectors/.test(said) && Number(said.match(/(\d+) sectors/)[1]) < 226, said);
    const whole = await flash(page), image = readFileSync(join(files, "gauge.bin"));
    check(whole.subarray(0x40000, 0x40000 + image.length).equals(image), "the image is there");
    check(whole.subarray(0, 0x40000).equals(readFileSync(join(files, "returned-1.bin")).subarray(0, 0x40000)), "what is before it stays");
    await page.context().close();
  },

  async stop_is_heard() {
    const page = await openPage();
    await connect(page);
    await page.evaluate(() => {
      document.querySelector("#backup-button").click();
      document.querySelector("#stop").click();
    });
    check((await settled(page, "backup")).includes("Stopped at your request"), await says(page, "backup"));
    await page.check("#without");
    await choose(page, "gauge.bin");
    await page.waitForSelector("#file-list li");
    await page.evaluate(() => {
      document.querySelector("#write-button").click();
      document.querySelector("#stop").click();
    });
    check((await settled(page, "write")).includes("Stopped at your request"), await says(page, "write"));
    await page.click("#write-button");
    check((await settled(page, "write")).includes("verified"), await says(page, "write"));
    await page.context().close();
  },

  async noise_is_worked_through() {
    const page = await openPage();
    check((await connect(page, "noise")).includes("The board answers"), "the board answers through noise");
    await page.check("#without");
    await choose(page, "start.bin");
    await page.waitForSelector("#file-list li");
    await page.click("#write-button");
    check((await settled(page, "write")).includes("verified"), await says(page, "write"));
    await page.context().close();
  },

  async wrong_files_are_refused() {
    const page = await openPage(), image = readFileSync(join(files, "gauge.bin"));
    const other = Buffer.from(image), short = image.subarray(0, 500000);
    other.writeUInt16LE(0x7301, 6); // its CRC no longer fits: a damaged header
    writeFileSync(join(scratch, "short.bin"), short);
    writeFileSync(join(scratch, "other.bin"), other);
    writeFileSync(join(scratch, "empty.bin"), "");
    await connect(page);
    for (const [name, reason] of [["downloaded.bin", "is a web page"], ["sounder.bin", "a module behind the board"],
      [join(scratch, "short.bin"), "cut short"], [join(scratch, "other.bin"), "header is damaged"],
      [join(scratch, "empty.bin"), "is empty"]]) {
      await choose(page, name);
      await page.waitForFunction((text) => document.querySelector("#file-list").textContent.includes(text), reason, { timeout: 5000 })
        .catch(() => check(false, `${name}: ${reason}`));
      check(await page.locator("#write-button").isDisabled(), `${name} is not written`);
      await page.click("#file-list li button");
    }
    const placed = async (name, offset, reason) => {
      await choose(page, name);
      await page.waitForSelector("#file-list li select");
      await page.selectOption("#file-list li select", "offset");
      await page.fill("#file-list li input", offset);
      await page.press("#file-list li input", "Tab");
      check((await says(page, "files")).includes(reason), `${name} at ${offset}: ${await says(page, "files")}`);
      check(await page.locator("#write-button").isDisabled(), `${name} at ${offset} is not written`);
      await page.click("#file-list li button");
    };
    writeFileSync(join(scratch, "notes.bin"), "levels of the pier\n");
    await placed("start.bin", "0x50000", "is not for region app");
    await placed("gauge.bin", "0x150000", "beyond the end of region app");
    await placed("gauge.bin", "0x8", "is in no region");
    await placed("gauge.bin", "here", "has no place yet");
    await placed(join(scratch, "notes.bin"), "0x40000", "has no boot header");
    await choose(page, "gauge.bin", "other.bin");
    await page.waitForSelector("#file-list li:nth-child(1)");
    check((await page.locator("#file-list").textContent()).includes("its digest differs"), "other.bin is damaged");
    const twin = readFileSync(join(files, "gauge.bin"));
    writeFileSync(join(scratch, "twin.bin"), twin);
    await page.click("#file-list li:nth-child(2) button");
    await choose(page, join(scratch, "twin.bin"));
    await page.waitForSelector("#file-list li:nth-child(2)");
    check(/claim the same bytes/.test(await says(page, "files")), await says(page, "files"));
    await page.context().close();
  },

  async a_wrong_board_and_a_silent_one_are_named() {
    const page = await openPage();
    check((await connect(page, "strap")).includes("boot strap was not held"), await says(page, "connect"));
    // The same page with a board of another chip.
    await page.evaluate(() => {
      const { exports } = window.page.library, real = exports.use_simulated;
      window.page.library.exports = { ...exports, use_simulated: (chip, ...rest) => real(0xd103, ...rest) };
    });
    const answers = await connect(page);
    if (answers.includes("The board answers")) {
      await choose(page, "gauge.bin");
      await page.waitForSelector("#file-list li");
      check((await page.locator("#file-list").textContent()).includes("was built for Turnstone T2"), "another chip is refused");
    } else {
      check(false, `another board answers: ${answers}`);
    }
    await page.context().close();
  },

  async real_bytes_cross_a_real_line() {
    const bench = join(scratch, "served"), env = { ...process.env, WRYTOGRAPH_BENCH: bench };
    execFileSync(command, ["bench", "add", "far", "--chip", "turnstone-t2", "--flash", "4MiB", "--content", "returned-1.bin"],
      { cwd: files, env });
    const serve = spawn(command, ["bench", "serve", "far"], { cwd: files, env });
    const port = await new Promise((done) => serve.stdout.on("data", (text) => {
      const found = /rfc2217:\/\/127\.0\.0\.1:(\d+)/.exec(text);
      if (found) done(Number(found[1]));
    }));
    const sockets = bridge(port);
    const context = await browser.newContext();
    const page = await context.newPage();
    await page.addInitScript(standInForSerial, `ws://127.0.0.1:${sockets.address().port}`);
    await page.goto(address);
    await page.waitForSelector("body[data-ready]");
    await page.click("#serial");
    check((await settled(page, "connect")).includes("The board answers"), await says(page, "connect"));
    await page.check("#without");
    await choose(page, "start.bin");
    await page.waitForSelector("#file-list li");
    await page.click("#write-button");
    check((await settled(page, "write")).includes("verified"), await says(page, "write"));
    await page.click("#start-button");
    await page.waitForFunction(() => document.querySelector("#terminal").textContent.includes("gauge ready"), null, { timeout: 20000 });
    await context.close();
    sockets.close();
    const ended = new Promise((done) => serve.on("exit", done));
    serve.kill("SIGTERM");
    await ended;
    const image = readFileSync(join(files, "start.bin"));
    check(readFileSync(join(bench, "far", "flash.bin")).subarray(0x4000, 0x4000 + image.length).equals(image), "the image is in the served board's flash");
  },

  async it_works_by_keyboard_and_on_a_phone() {
    const page = await openPage({ viewport: { width: 390, height: 844 }, colorScheme: "dark" });
    await page.focus("#simulated");
    await page.keyboard.press("Enter");
    check((await settled(page, "connect")).includes("The board answers"), "Enter connects");
    const wide = await page.evaluate(() => document.documentElement.scrollWidth);
    check(wide <= 390, `nothing is wider than the phone: ${wide}`);
    check(await page.evaluate(() => [...document.querySelectorAll("input, select, button")].every((c) =>
      c.labels?.length || c.getAttribute("aria-label") || c.textContent.trim())), "each control has a name");
    await page.context().close();
  },
};

for (const [name, fact] of Object.entries(facts)) {
  const before = broken;
  try {
    await fact();
  } catch (error) {
    check(false, `${name}: ${error.message}`);
  }
  console.log(`${broken === before ? "holds " : "BROKEN"} ${name}`);
}
await browser.close();
server.close();
rmSync(scratch, { recursive: true });
console.log(`${Object.keys(facts).length} facts, ${broken} claims broken`);
process.exit(broken ? 1 : 0);
