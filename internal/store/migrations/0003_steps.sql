-- +goose Up
CREATE TABLE steps (
    id          INTEGER PRIMARY KEY,
    delivery_id INTEGER NOT NULL REFERENCES deliveries(id),
    says        TEXT NOT NULL,
    by          TEXT NOT NULL,
    at          INTEGER NOT NULL,
    undone      INTEGER NOT NULL DEFAULT 0,
    before      TEXT NOT NULL, -- JSON: states of materials
    after       TEXT NOT NULL
);
CREATE INDEX steps_delivery ON steps(delivery_id, undone, id);
CREATE TABLE rules (
    id      INTEGER PRIMARY KEY,
    station TEXT NOT NULL, -- empty: every station
    ending  TEXT NOT NULL,
    channel TEXT NOT NULL,
    by      TEXT NOT NULL,
    created INTEGER NOT NULL,
    UNIQUE (station, ending)
);
