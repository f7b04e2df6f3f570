-- +goose Up
-- Who took an edit back is asked for with each page of the history.
CREATE INDEX edit_undoes ON edit (office_id, undoes) WHERE undoes IS NOT NULL;

-- What was asked for under the name of a request: the same name for something else is another's.
ALTER TABLE edit ADD COLUMN asked bytea CHECK (length(asked) = 32);
-- A request that starts an office has none to be looked for in.
CREATE UNIQUE INDEX edit_started ON edit (token) WHERE revision = 1 AND token IS NOT NULL;
-- A request that came to nothing comes to nothing when it is asked again.
CREATE TABLE idle_request (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    token     text        NOT NULL CHECK (token <> ''),
    asked     bytea       CHECK (length(asked) = 32),
    revision  bigint      NOT NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, token)
);

-- Of several servers one sets the devices of an office at a time: who does so says so again
-- and again.
CREATE TABLE carrying (
    office_id bigint      PRIMARY KEY REFERENCES office ON DELETE CASCADE,
    holder    text        NOT NULL,
    beat      timestamptz NOT NULL DEFAULT now()
);

-- An invitation holds as long as whoever gave it may give it; null for the first one.
ALTER TABLE invitation ADD COLUMN author_id bigint REFERENCES person ON DELETE CASCADE;
UPDATE invitation SET author_id = (SELECT id FROM person WHERE lower(name) = lower(author)) WHERE NOT first;
DELETE FROM invitation WHERE NOT first AND author_id IS NULL;
ALTER TABLE invitation ADD CONSTRAINT invitation_author CHECK (first = (author_id IS NULL));

-- Browsers that somebody signed in with: whoever guesses at an account elsewhere does not
-- keep its owner out at his own.
CREATE TABLE known_browser (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id bigint      NOT NULL REFERENCES person ON DELETE CASCADE,
    hash      bytea       NOT NULL UNIQUE CHECK (length(hash) = 32),
    seen_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX known_browser_person ON known_browser (person_id, id);

-- +goose Down
DROP TABLE known_browser;
ALTER TABLE invitation DROP CONSTRAINT invitation_author;
ALTER TABLE invitation DROP COLUMN author_id;
DROP TABLE carrying;
DROP TABLE idle_request;
DROP INDEX edit_started;
ALTER TABLE edit DROP COLUMN asked;
DROP INDEX edit_undoes;
