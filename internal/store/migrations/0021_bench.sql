-- +goose Up
-- The Bench's list is filtered, counted and ordered within these indexes alone: rows are long.
ALTER TABLE materials ADD COLUMN folded TEXT NOT NULL DEFAULT ''; -- name, tags and categories in small letters
UPDATE materials SET folded = fold(name || ' ' || tags || ' ' || categories);
CREATE INDEX materials_bench ON materials(updated DESC, id DESC, released, released_version, version, doubts, station, folded, width, height) WHERE stage = 'accepted';
CREATE INDEX materials_named ON materials(name COLLATE NOCASE, id DESC, released, released_version, version, doubts, station, folded, updated) WHERE stage = 'accepted';
CREATE INDEX materials_stations ON materials(station) WHERE stage = 'accepted' AND station <> '';

-- +goose Down
DROP INDEX materials_stations;
DROP INDEX materials_named;
DROP INDEX materials_bench;
ALTER TABLE materials DROP COLUMN folded;
