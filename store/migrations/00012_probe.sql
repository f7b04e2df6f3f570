-- +goose Up
-- A laptop may measure a plug test, and how what it tried ended is kept with it.
ALTER TABLE plug_test DROP CONSTRAINT plug_test_how_check;
ALTER TABLE plug_test ADD CONSTRAINT plug_test_how_check CHECK (how IN ('hand', 'played', 'measured'));
ALTER TABLE plug_test ADD COLUMN tried jsonb;

-- What lets somebody who is not at a page report to one office; only its hash is kept.
CREATE TABLE token (
    id         bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id  bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    name       text        NOT NULL CHECK (name <> ''),
    hash       bytea       NOT NULL UNIQUE CHECK (length(hash) = 32),
    scope      text        NOT NULL CHECK (scope IN ('tests')),
    author     text        NOT NULL CHECK (author <> ''),
    made_at    timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL,
    used_at    timestamptz
);
CREATE INDEX token_office ON token (office_id, id);

-- +goose Down
DROP TABLE token;
DELETE FROM plug_test WHERE how = 'measured';
ALTER TABLE plug_test DROP COLUMN tried;
ALTER TABLE plug_test DROP CONSTRAINT plug_test_how_check;
ALTER TABLE plug_test ADD CONSTRAINT plug_test_how_check CHECK (how IN ('hand', 'played'));
