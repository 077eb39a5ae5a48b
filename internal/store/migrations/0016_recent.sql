-- +goose Up
-- When the owner was told of news in a saved search; once, until the search is looked at.
ALTER TABLE saved_searches ADD COLUMN told INTEGER NOT NULL DEFAULT 0;

-- What people have looked at lately.
CREATE TABLE looked_at (
    person      TEXT NOT NULL,
    material_id INTEGER NOT NULL,
    at          INTEGER NOT NULL,
    PRIMARY KEY (person, material_id)
) WITHOUT ROWID;
CREATE INDEX looked_at_last ON looked_at(person, at);

-- +goose Down
DROP TABLE looked_at;
ALTER TABLE saved_searches DROP COLUMN told;
