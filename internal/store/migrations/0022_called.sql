-- +goose Up
-- Materials of one name are found by it, capitals aside.
ALTER TABLE materials ADD COLUMN called TEXT NOT NULL DEFAULT ''; -- the name in small letters
UPDATE materials SET called = fold(name);
CREATE INDEX materials_called ON materials(called) WHERE stage = 'accepted';

-- +goose Down
DROP INDEX materials_called;
ALTER TABLE materials DROP COLUMN called;
