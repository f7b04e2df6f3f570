-- +goose Up
-- What heads of files were taken for, so that the next file of that make is read so at once.
CREATE TABLE recipe (
    head    text        PRIMARY KEY CHECK (length(head) BETWEEN 1 AND 120),
    word    text        NOT NULL CHECK (length(word) BETWEEN 1 AND 40),
    made_at timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE recipe;
