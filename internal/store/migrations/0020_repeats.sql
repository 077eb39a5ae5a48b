-- +goose Up
-- Answers to requests that named an Idempotency-Key, so that repeating one makes nothing twice.
CREATE TABLE repeats (
    who     TEXT NOT NULL,
    key     TEXT NOT NULL,
    request TEXT NOT NULL,           -- the method, the address and a hash of the body
    at      INTEGER NOT NULL,
    status  INTEGER NOT NULL DEFAULT 0, -- 0: it is being carried out, or was cut off
    headers TEXT NOT NULL DEFAULT '',
    body    BLOB NOT NULL DEFAULT x'',
    PRIMARY KEY (who, key)
) WITHOUT ROWID;
CREATE INDEX repeats_at ON repeats(at);

-- +goose Down
DROP TABLE repeats;
