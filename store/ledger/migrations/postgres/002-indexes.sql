CREATE INDEX run_began ON run (began);
CREATE INDEX run_board ON run (board, began);
CREATE INDEX run_card ON run (card, began);
