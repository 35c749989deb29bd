// What is known of a board and of files for it.

export const hex = (number, digits = 6) => `0x${number.toString(16).toUpperCase().padStart(digits, "0")}`;
export const hexBytes = (bytes) => [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
export const size = (n) =>
  n >= 1048576 && n % 1048576 === 0 ? `${n / 1048576} MiB`
    : n >= 1024 && n % 1024 === 0 ? `${n / 1024} KiB` : `${n.toLocaleString("en")} bytes`;

export function readBoard(library) {
  const fact = (which) => library.exports.board_fact(which);
  const six = [4, 5].map((w) => fact(w).toString(16).toUpperCase().padStart(6, "0")).join("");
  return {
    chip: fact(0),
    title: library.text(library.exports.chip_title(fact(0))),
    revision: fact(1),
    flash: fact(2),
    speed: fact(3),
    address: six.match(/../g).join(":"),
    jedec: fact(6).toString(16).toUpperCase().padStart(6, "0").match(/../g).join(" "),
  };
}

export function readRegions(library) {
  const regions = [];
  for (let i = 0; i < library.exports.region_count(); i++) {
    regions.push({
      name: library.text(library.exports.region_name(i)),
      kind: library.text(library.exports.region_kind_name(i)),
      offset: library.exports.region_fact(i, 0),
      length: library.exports.region_fact(i, 1),
    });
  }
  return regions;
}

// Content that is certainly not for a flash, by its first bytes.
const NO_FIRMWARE = [
  [/^\s*<(!doctype|html|\?xml)/i, "is a web page, not firmware: the download went wrong"],
  [/^PK\x03\x04/, "is a ZIP archive: unpack it, and choose the images in it"],
  [/^\x1f\x8b/, "is compressed: unpack it, and choose its content"],
  [/^\x7fELF/, "is the output of a linker, not an image"],
  [/^WRYM/, "is firmware of a module behind the board, not for its flash"],
  [/^(:|S[0-9])[0-9A-Fa-f]{8}/, "is a HEX file: the command reads it, this page takes binaries"],
];
const KINDS = { 1: "start", 2: "app" };
const PROGRAM_STATES = ["no boot header", "its boot header is damaged",
  "it is damaged or cut short: its digest differs", "whole"];

// Looks at a file for this board. Returns what it is, where it may go, and why it is refused.
export function judgeFile(library, name, content, at, board, regions) {
  const beginning = String.fromCharCode(...content.subarray(0, 32));
  const found = { name, length: content.length, at, what: "", places: [], refused: null };
  const wrong = NO_FIRMWARE.find(([mark]) => mark.test(beginning));

  if (content.length === 0) found.refused = "is empty";
  else if (wrong) found.refused = wrong[1];
  if (found.refused) return found;
  const state = library.exports.look_at(at, content.length);
  if (state === 1 || state === 2) {
    found.refused = PROGRAM_STATES[state];
    return found;
  }
  let wants = (region) => region.kind !== "start" && region.kind !== "app" && region.kind !== "table";
  found.what = "no boot header: written unchanged";
  if (state === 3) {
    const chip = library.exports.header_fact(0), kind = KINDS[library.exports.header_fact(1)];
    const flash = library.exports.header_fact(2) ? 2 ** library.exports.header_fact(2) : 0;
    found.what = library.text(library.exports.header_version());
    found.program = true;
    if (chip !== board.chip)
      found.refused = `was built for ${library.text(library.exports.chip_title(chip))}, this is a ${board.title}`;
    else if (flash > board.flash)
      found.refused = `was built for ${size(flash)} of flash, this board has ${size(board.flash)}`;
    wants = (region) => (kind ? region.kind === kind : region.kind === "start" || region.kind === "app");
  } else if (library.exports.is_region_table(at, content.length)) {
    found.what = "a region table";
    wants = (region) => region.kind === "table" || region.name === "table";
  }
  found.places = regions.filter((region) => wants(region) && region.length >= content.length);
  if (!found.refused && found.places.length === 0 && state === 3) found.refused = "fits no region of its kind";
  return found;
}

// Why a file must not go where it is to go; null if it may. Without regions every place is as good.
export function judgePlace(file, regions, board) {
  const region = regions.find((r) => file.offset >= r.offset && file.offset < r.offset + r.length);

  if (regions.length === 0) return null;
  if (!region) return `${file.name}: ${hex(file.offset)} is in no region`;
  if (file.offset + file.length > region.offset + region.length)
    return `${file.name} extends beyond the end of region ${region.name}`;
  if (file.places.includes(region)) return null;
  return file.program || !["start", "app"].includes(region.kind)
    ? `${file.name} is not for region ${region.name}`
    : `${file.name} has no boot header: a ${board.title} would not start it from region ${region.name}`;
}

// Why a board gives no answer, by what was heard instead.
export function whySilent(library) {
  const [outside, printable, zeros, own] = [0, 1, 2, 3].map((w) => library.exports.heard_count(w));

  if (own > 0) return "The adapter hears itself: its TX and RX are joined somewhere. Separate the two wires.";
  if (outside === 0)
    return "Nothing was heard. Check that the board has power, that its ground is joined to the adapter's, and that "
      + "the adapter's RX goes to the board's TX.";
  if (zeros * 2 > outside)
    return "The line is held low: the board may have no power, or no common ground.";
  if (printable * 10 > outside * 8)
    return "Text was heard: the board runs its firmware, so its boot strap was not held through the reset. Without "
      + "the adapter's RTS and DTR, choose 'by hand', hold the boot button and tap reset.";
  return "Bytes were heard that are no text: noise, a missing ground, or another speed.";
}
