-- +goose Up
-- Uses and port plans that several offices share: each time that somebody puts them there is a
-- revision. Text is notation.
CREATE TABLE shelf (
    name     text        NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    revision int         NOT NULL CHECK (revision > 0),
    text     text        NOT NULL CHECK (length(text) <= 200000),
    note     text        NOT NULL CHECK (length(note) <= 500),
    source   text        NOT NULL, -- the title of the office that it is from
    author   text        NOT NULL CHECK (author <> ''),
    made_at  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (name, revision)
);
-- Which revision an office follows, and why it departs where it does.
CREATE TABLE shelf_follow (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    name      text        NOT NULL,
    revision  int         NOT NULL,
    because   text        NOT NULL CHECK (length(because) <= 500),
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, name),
    FOREIGN KEY (name, revision) REFERENCES shelf ON DELETE CASCADE
);

-- +goose Down
DROP TABLE shelf_follow;
DROP TABLE shelf;
