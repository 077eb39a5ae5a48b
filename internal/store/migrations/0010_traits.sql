-- +goose Up
-- What is seen of a material's look: colours, grain, figures. By it others like it are found.
CREATE TABLE traits (
    look TEXT PRIMARY KEY,
    data BLOB NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE traits;
