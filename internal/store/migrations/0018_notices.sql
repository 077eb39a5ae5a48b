-- +goose Up
-- The addresses of webhooks have numbers: jobs name these, since an address may hold a secret.
CREATE TABLE hook_receivers (
    id  INTEGER PRIMARY KEY AUTOINCREMENT,
    url TEXT NOT NULL UNIQUE
);
INSERT INTO hook_receivers (url) SELECT DISTINCT url FROM hooks;
-- Messages are kept after they have been told, as a log.
CREATE TABLE hook_messages (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    receiver_id INTEGER NOT NULL REFERENCES hook_receivers(id),
    event       TEXT NOT NULL,
    body        TEXT NOT NULL,
    made        INTEGER NOT NULL,
    state       TEXT NOT NULL DEFAULT 'waiting', -- told, failed
    attempts    INTEGER NOT NULL DEFAULT 0,      -- that failed
    problem     TEXT NOT NULL DEFAULT '',        -- of the last one
    tried       INTEGER NOT NULL DEFAULT 0
);
INSERT INTO hook_messages (id, receiver_id, event, body, made)
    SELECT h.id, r.id, coalesce(json_extract(h.body, '$.event'), ''), h.body, h.made FROM hooks h JOIN hook_receivers r ON r.url = h.url;
CREATE INDEX hook_messages_waiting ON hook_messages(receiver_id, id) WHERE state = 'waiting';
CREATE INDEX hook_messages_made ON hook_messages(made) WHERE state <> 'waiting';
DELETE FROM jobs WHERE kind = 'webhook';
INSERT INTO jobs (kind, key, priority, run_at) SELECT 'webhook', CAST(id AS TEXT), 1, 0 FROM hook_receivers;
DROP TABLE hooks;
CREATE INDEX notices_at ON notices(at) WHERE seen = 1;

-- +goose Down
DROP INDEX notices_at;
CREATE TABLE hooks (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    url     TEXT NOT NULL,
    body    TEXT NOT NULL,
    made    INTEGER NOT NULL
);
INSERT INTO hooks (id, url, body, made) SELECT m.id, r.url, m.body, m.made FROM hook_messages m JOIN hook_receivers r ON r.id = m.receiver_id WHERE m.state = 'waiting';
DELETE FROM jobs WHERE kind = 'webhook';
INSERT INTO jobs (kind, key, priority, run_at) SELECT 'webhook', CAST(id AS TEXT), 1, 0 FROM hooks;
DROP TABLE hook_messages; DROP TABLE hook_receivers;
