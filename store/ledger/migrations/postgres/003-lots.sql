-- As on each computer, where the columns are explained.
ALTER TABLE run ADD COLUMN lot text;
ALTER TABLE run ADD COLUMN lot_row bigint;
ALTER TABLE run ADD COLUMN name text;
ALTER TABLE run ADD COLUMN operator text;
ALTER TABLE run ADD COLUMN firmware text;
ALTER TABLE run ADD COLUMN advice text;
DROP INDEX run_card;
CREATE INDEX run_card ON run (lower(card), began);
CREATE INDEX run_firmware ON run (firmware, began) WHERE firmware IS NOT NULL;
CREATE INDEX run_lot ON run (lot, lot_row, began) WHERE lot IS NOT NULL;
CREATE INDEX run_outcome ON run (outcome, began) WHERE outcome <> 'passed';
CREATE INDEX run_kind ON run (kind, began) WHERE kind <> 'card';
