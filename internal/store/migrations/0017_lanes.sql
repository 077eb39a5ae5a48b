-- +goose Up
-- Whose work a job is: people take turns. The server's own has no name.
ALTER TABLE jobs ADD COLUMN who TEXT NOT NULL DEFAULT '';
DROP INDEX jobs_next;
CREATE INDEX jobs_turns ON jobs(state, kind, who, priority DESC, id);
CREATE INDEX jobs_suspect ON jobs(run_at) WHERE state = 'waiting' AND taken > 0;

-- +goose Down
DROP INDEX jobs_suspect;
DROP INDEX jobs_turns;
CREATE INDEX jobs_next ON jobs(taken > 0, priority DESC, id) WHERE state = 'waiting';
ALTER TABLE jobs DROP COLUMN who;
