-- One row a run. Times are UTC in ISO 8601, digests hexadecimal.
CREATE TABLE run (
    id TEXT PRIMARY KEY,          -- UUID
    kind TEXT NOT NULL,           -- card, write, restore, erase, backup
    began TEXT NOT NULL,
    ended TEXT,
    computer TEXT NOT NULL,
    username TEXT NOT NULL,
    program TEXT NOT NULL,        -- version of this program
    link TEXT,
    board TEXT,                   -- EUI-48
    chip TEXT,
    flash INTEGER,                -- bytes
    card TEXT,
    card_version TEXT,
    card_sha256 TEXT,
    kit_sha256 TEXT,
    signer TEXT,                  -- public key of a signed kit
    outcome TEXT NOT NULL,        -- running, passed, failed, stopped, cut
    exit_code INTEGER,
    failed_at TEXT,               -- the step
    reason TEXT,
    seconds REAL,
    bytes INTEGER,                -- of content, written or read
    steps TEXT,                   -- JSON: [{step, outcome, seconds, bytes}]
    contents TEXT,                -- JSON: [{region, offset, length, file, sha256, version}]
    heard TEXT,                   -- the last lines that the board said
    backup_file TEXT,
    backup_sha256 TEXT,
    process TEXT,                 -- while it runs: who does it
    waiting INTEGER NOT NULL DEFAULT 0 -- it is to go to a server yet
) WITHOUT ROWID;
