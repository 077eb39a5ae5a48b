-- +goose Up
-- Handoff profiles of the studio. A version is never changed: handoffs are made by it.
CREATE TABLE profiles (
    id       TEXT NOT NULL,
    version  INTEGER NOT NULL,
    document TEXT NOT NULL,
    by_name  TEXT NOT NULL,
    created  INTEGER NOT NULL,
    removed  INTEGER NOT NULL DEFAULT 0, -- no longer offered; its versions stay
    PRIMARY KEY (id, version)
);

-- +goose Down
DROP TABLE profiles;
