-- +goose Up
-- How the office was on a day: what was read, what differed, what was proved. Kept as it was told,
-- to be laid beside the next.
CREATE TABLE checkup (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    told      jsonb       NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX checkup_office ON checkup (office_id, id);
ALTER TABLE office ADD COLUMN check_every int NOT NULL DEFAULT 0 CHECK (check_every BETWEEN 0 AND 366); -- days; 0 for never
ALTER TABLE office ADD COLUMN check_at timestamptz NOT NULL DEFAULT now();

-- +goose Down
ALTER TABLE office DROP COLUMN check_at;
ALTER TABLE office DROP COLUMN check_every;
DROP TABLE checkup;
