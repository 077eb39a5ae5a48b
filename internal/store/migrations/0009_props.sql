-- +goose Up
-- What was uploaded to look at materials with: environments, meshes, backdrops. Numbers are never
-- used again, because pictures are kept by them.
CREATE TABLE props (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    kind    TEXT NOT NULL,
    name    TEXT NOT NULL COLLATE NOCASE,
    file    TEXT NOT NULL,           -- the name that it came with
    blob    TEXT NOT NULL,
    size    REAL NOT NULL DEFAULT 0, -- of a mesh: its longest side, metres
    radius  REAL NOT NULL DEFAULT 0, -- of a ball around its middle that holds it
    by_name TEXT NOT NULL,
    created INTEGER NOT NULL,
    UNIQUE (kind, name)
);
INSERT INTO props (id, kind, name, file, blob, by_name, created)
    SELECT id, 'environment', name, name || '.hdr', blob, by_name, created FROM environments;
DROP TABLE environments;

-- +goose Down
CREATE TABLE environments (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL UNIQUE COLLATE NOCASE,
    blob    TEXT NOT NULL,
    by_name TEXT NOT NULL,
    created INTEGER NOT NULL
);
INSERT INTO environments (id, name, blob, by_name, created)
    SELECT id, name, blob, by_name, created FROM props WHERE kind = 'environment';
DROP TABLE props;
