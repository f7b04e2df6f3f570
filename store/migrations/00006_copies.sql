-- +goose Up
-- Of an office that was started as a copy, to try things on: of which, and at
-- which revision, so that what was tried can be taken over.
ALTER TABLE office ADD COLUMN copied_from bigint REFERENCES office ON DELETE SET NULL;
ALTER TABLE office ADD COLUMN copied_at bigint;

-- +goose Down
ALTER TABLE office DROP COLUMN copied_from, DROP COLUMN copied_at;
