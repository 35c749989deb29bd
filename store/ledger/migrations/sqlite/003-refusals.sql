-- What the server did not take, and which server that was.
ALTER TABLE run ADD COLUMN refused TEXT;                   -- why, in the server's words
ALTER TABLE run ADD COLUMN tried TEXT;                     -- the mark of the sending that tried it last
ALTER TABLE run ADD COLUMN tries INTEGER NOT NULL DEFAULT 0; -- in vain: others go first
CREATE TABLE about (server TEXT NOT NULL);                 -- of an outbox: its server, without password
CREATE INDEX run_refused ON run (began) WHERE refused IS NOT NULL;
