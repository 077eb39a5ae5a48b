-- +goose Up
-- What a material's maps do not say of its surface: figures as JSON; empty for none.
ALTER TABLE materials ADD COLUMN figures TEXT NOT NULL DEFAULT '';

-- Uploaded environments: pictures of all directions.
CREATE TABLE environments (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL UNIQUE COLLATE NOCASE,
    blob    TEXT NOT NULL,
    by_name TEXT NOT NULL,
    created INTEGER NOT NULL
);

-- +goose Down
DROP TABLE environments;
ALTER TABLE materials DROP COLUMN figures;
