CREATE INDEX run_began ON run (began);
CREATE INDEX run_board ON run (board, began);
CREATE INDEX run_card ON run (card, began);
CREATE INDEX run_running ON run (outcome) WHERE outcome = 'running';
CREATE INDEX run_waiting ON run (began) WHERE waiting = 1;
