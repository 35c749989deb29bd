-- A table with row ids: without them rows of this size lie in overflow pages, three times as long.
-- New: who the board is and who did it, the lot and its row, the program written, the advice given.
CREATE TABLE run_4 (
    id TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL,
    began TEXT NOT NULL,
    ended TEXT,
    computer TEXT NOT NULL,
    username TEXT NOT NULL,
    program TEXT NOT NULL,
    link TEXT,
    board TEXT,
    chip TEXT,
    flash INTEGER,
    card TEXT COLLATE NOCASE,
    card_version TEXT,
    card_sha256 TEXT,
    kit_sha256 TEXT,
    signer TEXT,
    outcome TEXT NOT NULL,        -- also refused: before anything was changed
    exit_code INTEGER,
    failed_at TEXT,
    reason TEXT,
    seconds REAL,
    bytes INTEGER,
    steps TEXT,
    contents TEXT,
    heard TEXT,
    backup_file TEXT,
    backup_sha256 TEXT,
    process TEXT,
    waiting INTEGER NOT NULL DEFAULT 0,
    refused TEXT,
    tried TEXT,
    tries INTEGER NOT NULL DEFAULT 0,
    lot TEXT,
    lot_row INTEGER,              -- line of its row in the table of boards
    name TEXT,                    -- who the board is, by that row
    operator TEXT,
    firmware TEXT,                -- name and version of the application written
    advice TEXT                   -- after a failure: what to do
);
INSERT INTO run_4 (id, kind, began, ended, computer, username, program, link, board, chip, flash,
    card, card_version, card_sha256, kit_sha256, signer, outcome, exit_code, failed_at, reason,
    seconds, bytes, steps, contents, heard, backup_file, backup_sha256, process, waiting, refused,
    tried, tries)
    SELECT id, kind, began, ended, computer, username, program, link, board, chip, flash,
    card, card_version, card_sha256, kit_sha256, signer, outcome, exit_code, failed_at, reason,
    seconds, bytes, steps, contents, heard, backup_file, backup_sha256, process, waiting, refused,
    tried, tries FROM run ORDER BY began;
DROP TABLE run;
ALTER TABLE run_4 RENAME TO run;
CREATE INDEX run_began ON run (began);
CREATE INDEX run_board ON run (board, began);
CREATE INDEX run_card ON run (card, began);
CREATE INDEX run_firmware ON run (firmware, began) WHERE firmware IS NOT NULL;
CREATE INDEX run_lot ON run (lot, lot_row, began) WHERE lot IS NOT NULL;
CREATE INDEX run_outcome ON run (outcome, began) WHERE outcome != 'passed';
CREATE INDEX run_kind ON run (kind, began) WHERE kind != 'card';
CREATE INDEX run_waiting ON run (waiting, tries, began, outcome) WHERE waiting > 0;
