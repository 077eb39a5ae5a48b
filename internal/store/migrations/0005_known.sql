-- +goose Up
ALTER TABLE materials ADD COLUMN known TEXT NOT NULL DEFAULT 'null'; -- JSON: the material whose scan it is
CREATE TABLE prints (
    material_id INTEGER PRIMARY KEY REFERENCES materials(id) ON DELETE CASCADE,
    print       TEXT NOT NULL -- JSON
);
