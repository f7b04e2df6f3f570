-- +goose Up
-- What lets a person in without a password (WebAuthn): what is public of it.
CREATE TABLE passkey (
    id         bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id  bigint      NOT NULL REFERENCES person ON DELETE CASCADE,
    credential bytea       NOT NULL UNIQUE,
    data       jsonb       NOT NULL,
    name       text        NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    used_at    timestamptz
);
CREATE INDEX passkey_person ON passkey (person_id, id);

-- What was asked of a browser, until it answers, once.
CREATE TABLE ceremony (
    hash       bytea       PRIMARY KEY CHECK (length(hash) = 32),
    person_id  bigint      REFERENCES person ON DELETE CASCADE, -- null for whoever signs in
    data       jsonb       NOT NULL,
    expires_at timestamptz NOT NULL
);

-- +goose Down
DROP TABLE ceremony;
DROP TABLE passkey;
