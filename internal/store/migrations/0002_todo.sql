-- +goose Up
-- What is still to do, counted on every page without reading the materials.
CREATE INDEX materials_unseen ON materials(id) WHERE stage = 'sorted';
CREATE INDEX materials_unreleased ON materials(id) WHERE stage = 'accepted' AND (released = 0 OR version > released_version);
