-- +goose Up
-- What people keep together: their favourites, and collections of their own or shared.
CREATE TABLE collections (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    name    TEXT NOT NULL,
    colour  TEXT NOT NULL DEFAULT '',   -- #rrggbb of its label
    owner   TEXT NOT NULL,
    shared  INTEGER NOT NULL DEFAULT 0,
    stars   INTEGER NOT NULL DEFAULT 0, -- 1: the owner's favourites
    version INTEGER NOT NULL DEFAULT 1,
    changed INTEGER NOT NULL
);
CREATE UNIQUE INDEX collections_stars ON collections(owner) WHERE stars = 1;
CREATE TABLE collection_items (
    collection_id INTEGER NOT NULL REFERENCES collections(id) ON DELETE CASCADE,
    material_id   INTEGER NOT NULL,
    position      INTEGER NOT NULL,
    PRIMARY KEY (collection_id, material_id)
) WITHOUT ROWID;

-- Searches that people come back to.
CREATE TABLE saved_searches (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    owner   TEXT NOT NULL,
    name    TEXT NOT NULL,
    address TEXT NOT NULL,              -- the query of the Library's address
    seen    INTEGER NOT NULL,           -- what was released after this is new
    created INTEGER NOT NULL
);

-- +goose Down
DROP TABLE saved_searches; DROP TABLE collection_items; DROP TABLE collections;
