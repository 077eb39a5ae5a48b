-- +goose Up
-- Jobs: how often one was taken without an end, and whether it was asked for again while
-- it ran. A data folder has one server, so a running job needs no lease.
CREATE TABLE jobs_now (
    id       INTEGER PRIMARY KEY,
    kind     TEXT NOT NULL,
    key      TEXT NOT NULL,
    priority INTEGER NOT NULL DEFAULT 0,
    state    TEXT NOT NULL DEFAULT 'waiting', -- waiting, running, failed
    attempts INTEGER NOT NULL DEFAULT 0,      -- that ended in an error
    taken    INTEGER NOT NULL DEFAULT 0,      -- times it was begun and did not end
    again    INTEGER NOT NULL DEFAULT 0,      -- 1: asked for while it ran
    run_at   INTEGER NOT NULL,
    error    TEXT NOT NULL DEFAULT '',
    UNIQUE (kind, key)
);
INSERT INTO jobs_now (id, kind, key, priority, state, attempts, run_at, error)
    SELECT id, kind, key, priority, CASE state WHEN 'failed' THEN 'failed' ELSE 'waiting' END, attempts, run_at, error FROM jobs;
DROP TABLE jobs;
ALTER TABLE jobs_now RENAME TO jobs;
CREATE INDEX jobs_next ON jobs(taken > 0, priority DESC, id) WHERE state = 'waiting';

-- What changed, in the order of the commits.
CREATE TABLE events (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    at    INTEGER NOT NULL,
    topic TEXT NOT NULL
);

-- A write names the version that it was made for.
ALTER TABLE users ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE rules ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE watches ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE settings ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE deliveries ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
-- +goose StatementBegin
CREATE TRIGGER deliveries_follow AFTER UPDATE OF version ON materials WHEN new.delivery_id IS NOT NULL
BEGIN
    UPDATE deliveries SET version = version + 1 WHERE id = new.delivery_id;
END;
-- +goose StatementEnd

-- Tokens have a scope, an end and a last use; accounts a one-time code to reset a password.
ALTER TABLE tokens ADD COLUMN scope TEXT NOT NULL DEFAULT 'administer';
ALTER TABLE tokens ADD COLUMN ends INTEGER NOT NULL DEFAULT 0; -- 0: never
ALTER TABLE tokens ADD COLUMN used INTEGER NOT NULL DEFAULT 0;
ALTER TABLE users ADD COLUMN code BLOB NOT NULL DEFAULT x'';
ALTER TABLE users ADD COLUMN code_ends INTEGER NOT NULL DEFAULT 0;
CREATE TABLE sign_ins (
    id      TEXT PRIMARY KEY,
    user_id INTEGER NOT NULL REFERENCES users(id) ON DELETE CASCADE,
    at      INTEGER NOT NULL,
    seen    INTEGER NOT NULL,
    address TEXT NOT NULL,
    agent   TEXT NOT NULL
) WITHOUT ROWID;
CREATE INDEX sign_ins_user ON sign_ins(user_id);
DELETE FROM sessions; -- they name no sign-in; people sign in once more
CREATE INDEX audit_actor ON audit(actor, id);
CREATE INDEX audit_action ON audit(action, id);

-- Steps hold what they changed, part by part, of the materials that they touched.
DROP TABLE steps;
CREATE TABLE steps (
    id          INTEGER PRIMARY KEY,
    delivery_id INTEGER REFERENCES deliveries(id),
    kind        TEXT NOT NULL,
    says        TEXT NOT NULL,
    by          TEXT NOT NULL,
    user_id     INTEGER NOT NULL,
    at          INTEGER NOT NULL,
    undone      INTEGER NOT NULL DEFAULT 0,
    changes     TEXT NOT NULL -- JSON: by material, its parts before and after
);
CREATE INDEX steps_delivery ON steps(delivery_id, id);
CREATE TABLE step_materials (
    material_id INTEGER NOT NULL REFERENCES materials(id) ON DELETE CASCADE,
    step_id     INTEGER NOT NULL REFERENCES steps(id) ON DELETE CASCADE,
    PRIMARY KEY (material_id, step_id)
) WITHOUT ROWID;

-- Which parcel a file came in, and where in it: parcels may hold the same paths.
ALTER TABLE parcels ADD COLUMN opened INTEGER NOT NULL DEFAULT 0;
ALTER TABLE parcels ADD COLUMN folder TEXT NOT NULL DEFAULT ''; -- before the paths of its files, where they would be doubled
UPDATE parcels SET opened = 1 WHERE delivery_id IN (SELECT id FROM deliveries WHERE state <> 'receiving');
ALTER TABLE files ADD COLUMN parcel_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE files ADD COLUMN entry TEXT NOT NULL DEFAULT '';
CREATE INDEX files_waiting ON files(delivery_id) WHERE examined IS NULL AND problem = '';

-- Room for materials that come of others (a parent and what is overridden) and for maps
-- that came in no file.
ALTER TABLE materials ADD COLUMN kind TEXT NOT NULL DEFAULT 'scan'; -- scan, variant, plain, blend
ALTER TABLE materials ADD COLUMN parent_id INTEGER REFERENCES materials(id);
ALTER TABLE materials ADD COLUMN overrides TEXT NOT NULL DEFAULT '{}'; -- JSON: core/material's overrides
CREATE INDEX materials_parent ON materials(parent_id) WHERE parent_id IS NOT NULL;
CREATE TABLE maps_now (
    id          INTEGER PRIMARY KEY,
    material_id INTEGER NOT NULL REFERENCES materials(id) ON DELETE CASCADE,
    file_id     INTEGER REFERENCES files(id), -- null: it was made here
    component   TEXT NOT NULL,
    channel     TEXT NOT NULL, -- empty: unassigned
    document    TEXT NOT NULL, -- JSON: the rest
    finished    INTEGER NOT NULL DEFAULT 0 -- 1: made by the recipe
);
INSERT INTO maps_now SELECT id, material_id, file_id, component, channel, document, finished FROM maps;
DROP TABLE maps;
ALTER TABLE maps_now RENAME TO maps;
CREATE INDEX maps_material ON maps(material_id);
CREATE INDEX maps_file ON maps(file_id);

-- Words are searched in memory, beside the facets.
DROP TABLE search;
