-- +goose Up
-- What is decided of a release after it was made. The release itself is never changed.
CREATE TABLE release_marks (
    release_id  INTEGER PRIMARY KEY REFERENCES releases(id),
    version     INTEGER NOT NULL,            -- rises with each change
    state       TEXT NOT NULL DEFAULT '',    -- '', approved, retired
    reason      TEXT NOT NULL DEFAULT '',
    replacement INTEGER NOT NULL DEFAULT 0,  -- the material to take in place of a retired one
    correction  TEXT NOT NULL DEFAULT '',    -- JSON: the description that counts
    by_name     TEXT NOT NULL,
    changed     INTEGER NOT NULL
);
-- Drafts that wait for a lead, and what came of it.
CREATE TABLE reviews (
    material_id INTEGER PRIMARY KEY REFERENCES materials(id),
    version     INTEGER NOT NULL,            -- of the material, as it is to be released
    notes       TEXT NOT NULL,
    by_name     TEXT NOT NULL,
    asked       INTEGER NOT NULL,
    returned    TEXT NOT NULL DEFAULT '',    -- why a lead gave it back
    returned_by TEXT NOT NULL DEFAULT ''
);
-- Who took which handoff.
CREATE TABLE takings (
    material_id INTEGER NOT NULL,
    release_id  INTEGER NOT NULL,
    person      TEXT NOT NULL,
    form        TEXT NOT NULL,
    first       INTEGER NOT NULL,
    last        INTEGER NOT NULL,
    times       INTEGER NOT NULL,
    PRIMARY KEY (release_id, person, form)
) WITHOUT ROWID;
CREATE INDEX takings_of ON takings(material_id, last);
CREATE INDEX takings_by ON takings(person, last);

-- +goose Down
DROP TABLE takings; DROP TABLE reviews; DROP TABLE release_marks;
