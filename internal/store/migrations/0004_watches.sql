-- +goose Up
CREATE TABLE watches (
    id       INTEGER PRIMARY KEY,
    path     TEXT NOT NULL UNIQUE,
    station  TEXT NOT NULL,
    paused   INTEGER NOT NULL DEFAULT 0,
    problem  TEXT NOT NULL DEFAULT '',
    restless INTEGER NOT NULL DEFAULT 0,
    looked   INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE taken (
    watch_id INTEGER NOT NULL REFERENCES watches(id) ON DELETE CASCADE,
    path     TEXT NOT NULL,
    size     INTEGER NOT NULL,
    changed  INTEGER NOT NULL,
    PRIMARY KEY (watch_id, path)
) WITHOUT ROWID;
