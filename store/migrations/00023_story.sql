-- +goose Up
-- What people call a revision: "before the move". One name a revision, and one revision a name.
CREATE TABLE revision_name (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    revision  bigint      NOT NULL CHECK (revision > 0),
    name      text        NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, revision),
    UNIQUE (office_id, name)
);
CREATE INDEX order_said_at ON order_said (order_id, said_at);

-- +goose Down
DROP INDEX order_said_at;
DROP TABLE revision_name;
