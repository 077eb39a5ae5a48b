-- +goose Up
ALTER TABLE materials ADD COLUMN recipe TEXT NOT NULL DEFAULT '[]'; -- JSON: the treatments, in order
ALTER TABLE materials ADD COLUMN finish TEXT NOT NULL DEFAULT '{}'; -- JSON: what came of them, but for the maps
ALTER TABLE maps ADD COLUMN finished INTEGER NOT NULL DEFAULT 0;    -- 1: made by the recipe
ALTER TABLE releases ADD COLUMN word TEXT NOT NULL DEFAULT ''; -- why a lead let it through
-- Files that were made here, by treatments; releases may name any of them.
CREATE TABLE made (
    blob TEXT PRIMARY KEY
) WITHOUT ROWID;
-- What the studio has decided for all materials, as JSON by name.
CREATE TABLE settings (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) WITHOUT ROWID;
