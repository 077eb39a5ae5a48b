-- +goose Up
CREATE TABLE users (
    id       INTEGER PRIMARY KEY,
    name     TEXT NOT NULL UNIQUE COLLATE NOCASE,
    role     TEXT NOT NULL,
    password BLOB NOT NULL,
    disabled INTEGER NOT NULL DEFAULT 0,
    created  INTEGER NOT NULL
);
CREATE TABLE tokens (
    id      INTEGER PRIMARY KEY,
    user_id INTEGER NOT NULL REFERENCES users(id) ON DELETE CASCADE,
    label   TEXT NOT NULL,
    hash    BLOB NOT NULL UNIQUE,
    created INTEGER NOT NULL
);
CREATE TABLE sessions (
    token  TEXT PRIMARY KEY,
    data   BLOB NOT NULL,
    expiry INTEGER NOT NULL
);
CREATE INDEX sessions_expiry ON sessions(expiry);
CREATE TABLE audit (
    id      INTEGER PRIMARY KEY,
    at      INTEGER NOT NULL,
    actor   TEXT NOT NULL,
    action  TEXT NOT NULL,
    subject TEXT NOT NULL,
    detail  TEXT NOT NULL
);

CREATE TABLE deliveries (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL,
    station TEXT NOT NULL,
    state   TEXT NOT NULL, -- receiving, sorting, sorted, failed
    error   TEXT NOT NULL DEFAULT '',
    created INTEGER NOT NULL,
    by      TEXT NOT NULL
);
-- What was sent, before archives are opened.
CREATE TABLE parcels (
    id          INTEGER PRIMARY KEY,
    delivery_id INTEGER NOT NULL REFERENCES deliveries(id) ON DELETE CASCADE,
    path        TEXT NOT NULL,
    blob        TEXT NOT NULL,
    size        INTEGER NOT NULL
);
CREATE INDEX parcels_delivery ON parcels(delivery_id);
CREATE TABLE files (
    id          INTEGER PRIMARY KEY,
    delivery_id INTEGER NOT NULL REFERENCES deliveries(id) ON DELETE CASCADE,
    path        TEXT NOT NULL,
    blob        TEXT NOT NULL, -- empty for an entry that could not be unpacked
    size        INTEGER NOT NULL,
    examined    TEXT,          -- JSON, null until it has been looked at
    ratio       REAL NOT NULL DEFAULT 0,
    problem     TEXT NOT NULL DEFAULT '',
    UNIQUE (delivery_id, path)
);
CREATE INDEX files_blob ON files(blob);

CREATE TABLE materials (
    id               INTEGER PRIMARY KEY,
    delivery_id      INTEGER REFERENCES deliveries(id),
    set_key          TEXT NOT NULL, -- which set of the delivery
    name             TEXT NOT NULL,
    slug             TEXT NOT NULL UNIQUE,
    version          INTEGER NOT NULL DEFAULT 1,
    stage            TEXT NOT NULL, -- sorted, accepted
    width            REAL NOT NULL DEFAULT 0,
    height           REAL NOT NULL DEFAULT 0,
    size_source      TEXT NOT NULL DEFAULT 'none',
    depth            REAL NOT NULL DEFAULT 0,
    depth_source     TEXT NOT NULL DEFAULT '',
    relief           REAL NOT NULL DEFAULT 0, -- the height map's range over the width, by its normals
    relief_trust     REAL NOT NULL DEFAULT 0,
    licence          TEXT NOT NULL DEFAULT '',
    author           TEXT NOT NULL DEFAULT '',
    rights           TEXT NOT NULL DEFAULT '',
    station          TEXT NOT NULL DEFAULT '',
    captured         TEXT NOT NULL DEFAULT '',
    contact          TEXT NOT NULL DEFAULT '',
    tags             TEXT NOT NULL DEFAULT '[]',
    categories       TEXT NOT NULL DEFAULT '[]',
    report           TEXT NOT NULL, -- JSON: evidence, findings, attachments
    doubts           INTEGER NOT NULL DEFAULT 0,
    released         INTEGER NOT NULL DEFAULT 0, -- number of the latest release
    released_version INTEGER NOT NULL DEFAULT 0,
    created          INTEGER NOT NULL,
    updated          INTEGER NOT NULL,
    UNIQUE (delivery_id, set_key)
);
CREATE INDEX materials_stage ON materials(stage, updated);
CREATE TABLE maps (
    id          INTEGER PRIMARY KEY,
    material_id INTEGER NOT NULL REFERENCES materials(id) ON DELETE CASCADE,
    file_id     INTEGER NOT NULL REFERENCES files(id),
    component   TEXT NOT NULL,
    channel     TEXT NOT NULL, -- empty: belongs nowhere yet
    document    TEXT NOT NULL  -- JSON: the rest
);
CREATE INDEX maps_material ON maps(material_id);
CREATE INDEX maps_file ON maps(file_id);

CREATE TABLE releases (
    id          INTEGER PRIMARY KEY,
    material_id INTEGER NOT NULL REFERENCES materials(id),
    number      INTEGER NOT NULL,
    notes       TEXT NOT NULL,
    created     INTEGER NOT NULL,
    by          TEXT NOT NULL,
    snapshot    TEXT NOT NULL, -- JSON: the material as it was
    UNIQUE (material_id, number)
);
-- +goose StatementBegin
CREATE TRIGGER releases_stay BEFORE UPDATE ON releases
BEGIN
    SELECT RAISE(ABORT, 'a release is never changed');
END;
-- +goose StatementEnd

-- What the Library shows: the latest release of each material.
CREATE TABLE published (
    material_id INTEGER PRIMARY KEY REFERENCES materials(id),
    release_id  INTEGER NOT NULL REFERENCES releases(id),
    card        TEXT NOT NULL, -- JSON: what a swatch's label shows, and the facets
    released    INTEGER NOT NULL
);
CREATE VIRTUAL TABLE search USING fts5(name, tags, categories, notes, tokenize = 'unicode61 remove_diacritics 2', prefix = '1 2 3');

CREATE TABLE jobs (
    id       INTEGER PRIMARY KEY,
    kind     TEXT NOT NULL,
    key      TEXT NOT NULL,
    priority INTEGER NOT NULL DEFAULT 0,
    state    TEXT NOT NULL DEFAULT 'waiting', -- waiting, running, failed
    attempts INTEGER NOT NULL DEFAULT 0,
    run_at   INTEGER NOT NULL,
    lease    INTEGER NOT NULL DEFAULT 0,
    error    TEXT NOT NULL DEFAULT '',
    UNIQUE (kind, key)
);
CREATE INDEX jobs_next ON jobs(state, run_at, priority);

-- +goose StatementBegin
CREATE TRIGGER releases_kept BEFORE DELETE ON releases
BEGIN
    SELECT RAISE(ABORT, 'a release is never deleted');
END;
-- +goose StatementEnd

-- +goose Down
DROP TABLE jobs; DROP TABLE search; DROP TABLE published; DROP TABLE releases; DROP TABLE maps; DROP TABLE materials;
DROP TABLE files; DROP TABLE parcels; DROP TABLE deliveries; DROP TABLE audit; DROP TABLE sessions; DROP TABLE tokens; DROP TABLE users;
