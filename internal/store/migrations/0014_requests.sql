-- +goose Up
-- What artists ask for, and what is wrong with a material.
CREATE TABLE requests (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    kind        TEXT NOT NULL,               -- material or problem
    title       TEXT NOT NULL,
    size        TEXT NOT NULL DEFAULT '',    -- how large it is to be, in the asker's words
    due         TEXT NOT NULL DEFAULT '',    -- 2026-03-04; until when
    picture     TEXT NOT NULL DEFAULT '',    -- blob
    material_id INTEGER NOT NULL DEFAULT 0,  -- of a problem
    release_id  INTEGER NOT NULL DEFAULT 0,
    pin_x       REAL NOT NULL DEFAULT -1,    -- where on the picture, in shares of it; -1 for nowhere
    pin_y       REAL NOT NULL DEFAULT -1,
    view        TEXT NOT NULL DEFAULT '',    -- the address' query that shows what the asker saw
    by_name     TEXT NOT NULL,
    asked       INTEGER NOT NULL,
    state       TEXT NOT NULL DEFAULT 'open',
    solved_by   INTEGER NOT NULL DEFAULT 0,  -- material
    changed     INTEGER NOT NULL,
    version     INTEGER NOT NULL DEFAULT 1
);
CREATE INDEX requests_open ON requests(state, asked);
CREATE INDEX requests_material ON requests(material_id) WHERE material_id > 0;
CREATE TABLE request_messages (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    request_id INTEGER NOT NULL REFERENCES requests(id),
    by_name    TEXT NOT NULL,
    at         INTEGER NOT NULL,
    text       TEXT NOT NULL
);
CREATE INDEX request_messages_of ON request_messages(request_id, id);
-- What a person is told.
CREATE TABLE notices (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    person  TEXT NOT NULL,
    text    TEXT NOT NULL,
    href    TEXT NOT NULL,
    at      INTEGER NOT NULL,
    seen    INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX notices_of ON notices(person, seen, id);
-- What other programs are told, until they have been.
CREATE TABLE hooks (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    url     TEXT NOT NULL,
    body    TEXT NOT NULL,
    made    INTEGER NOT NULL
);

-- +goose Down
DROP TABLE hooks; DROP TABLE notices; DROP TABLE request_messages; DROP TABLE requests;
