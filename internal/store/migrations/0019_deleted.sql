-- +goose Up
-- What was deleted stays for a while, and can be put back.
ALTER TABLE deliveries ADD COLUMN deleted INTEGER NOT NULL DEFAULT 0; -- when; 0: it was not
CREATE INDEX steps_deleted ON steps(id) WHERE kind IN ('delete', 'delete delivery') AND undone = 0;
CREATE TABLE props_now (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    kind       TEXT NOT NULL,
    name       TEXT NOT NULL COLLATE NOCASE,
    file       TEXT NOT NULL,           -- the name that it came with
    blob       TEXT NOT NULL,
    size       REAL NOT NULL DEFAULT 0, -- of a mesh: its longest side, metres
    radius     REAL NOT NULL DEFAULT 0, -- of a ball around its middle that holds it
    by_name    TEXT NOT NULL,
    created    INTEGER NOT NULL,
    deleted    INTEGER NOT NULL DEFAULT 0,
    deleted_by TEXT NOT NULL DEFAULT ''
);
INSERT INTO props_now (id, kind, name, file, blob, size, radius, by_name, created) SELECT id, kind, name, file, blob, size, radius, by_name, created FROM props;
DROP TABLE props;
ALTER TABLE props_now RENAME TO props;
CREATE UNIQUE INDEX props_named ON props(kind, name) WHERE deleted = 0;

-- +goose Down
DELETE FROM props WHERE deleted > 0;
CREATE TABLE props_was (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    kind    TEXT NOT NULL,
    name    TEXT NOT NULL COLLATE NOCASE,
    file    TEXT NOT NULL,
    blob    TEXT NOT NULL,
    size    REAL NOT NULL DEFAULT 0,
    radius  REAL NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    created INTEGER NOT NULL,
    UNIQUE (kind, name)
);
INSERT INTO props_was SELECT id, kind, name, file, blob, size, radius, by_name, created FROM props;
DROP TABLE props;
ALTER TABLE props_was RENAME TO props;
DROP INDEX steps_deleted;
ALTER TABLE deliveries DROP COLUMN deleted;
