-- The rows of a card's table of boards that were assigned. The server decides, so that benches with
-- copies of one table never assign a row twice, or two rows to a board.
CREATE TABLE row_claim (
    lot text NOT NULL,
    lot_row bigint NOT NULL, -- line in the table
    board text NOT NULL,     -- EUI-48
    mark text NOT NULL,      -- derived from the row's name, to notice a table that differs
    computer text NOT NULL,
    since timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (lot, lot_row),
    UNIQUE (lot, board)
);
