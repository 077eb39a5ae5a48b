-- +goose Up
-- Batches of drafts that are to be released at a time.
CREATE TABLE schedules (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    due       INTEGER NOT NULL,
    notes     TEXT NOT NULL,
    materials TEXT NOT NULL,           -- JSON: ids with the versions that were seen
    by_name   TEXT NOT NULL,
    role      TEXT NOT NULL,
    done      INTEGER NOT NULL DEFAULT 0,
    result    TEXT NOT NULL DEFAULT '' -- what became of it
);
CREATE INDEX schedules_due ON schedules(done, due);

-- +goose Down
DROP TABLE schedules;
