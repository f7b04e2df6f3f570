-- +goose Up
-- Who may come in, once somebody else than the person at the machine can reach it.
CREATE TABLE person (
    id       bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text        NOT NULL CHECK (name <> ''),
    password text, -- argon2id, in the PHC string format; null for none
    made_at  timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX person_name ON person (lower(name));

-- What a person may do with an office, or with all, present and to come (null).
CREATE TABLE membership (
    person_id bigint NOT NULL REFERENCES person ON DELETE CASCADE,
    office_id bigint REFERENCES office ON DELETE CASCADE,
    role      int    NOT NULL CHECK (role BETWEEN 1 AND 4),
    UNIQUE NULLS NOT DISTINCT (person_id, office_id)
);
CREATE INDEX membership_office ON membership (office_id);

-- Who is in just now; of the secret only its hash is kept.
CREATE TABLE session (
    id         bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id  bigint      NOT NULL REFERENCES person ON DELETE CASCADE,
    hash       bytea       NOT NULL UNIQUE CHECK (length(hash) = 32),
    about      text        NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    seen_at    timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL
);
CREATE INDEX session_person ON session (person_id, id);

-- What lets somebody make an account, once.
CREATE TABLE invitation (
    id         bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    hash       bytea       NOT NULL UNIQUE CHECK (length(hash) = 32),
    office_id  bigint      REFERENCES office ON DELETE CASCADE, -- null for all
    role       int         NOT NULL CHECK (role BETWEEN 1 AND 4),
    first      boolean     NOT NULL, -- it holds as long as there is nobody
    author     text        NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL
);

-- How often a sign-in failed, by account and by address, and until when the next waits.
CREATE TABLE sign_in_wait (
    key      text        PRIMARY KEY,
    failures int         NOT NULL,
    last_at  timestamptz NOT NULL,
    until    timestamptz NOT NULL
);

-- What was done that is no edit; nobody changes it. Offices may be gone.
CREATE TABLE record (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at        timestamptz NOT NULL DEFAULT now(),
    who       text        NOT NULL,
    what      text        NOT NULL,
    office_id bigint,
    about     text        NOT NULL,
    address   text        NOT NULL
);
CREATE INDEX record_office ON record (office_id, id);

ALTER TABLE token DROP CONSTRAINT token_scope_check;
ALTER TABLE token ADD CONSTRAINT token_scope_check CHECK (scope IN ('tests', 'reader', 'planner', 'carrier', 'keeper'));
ALTER TABLE token ADD COLUMN person_id bigint REFERENCES person ON DELETE CASCADE; -- whose role it may not exceed

-- +goose Down
DELETE FROM token WHERE scope <> 'tests';
ALTER TABLE token DROP COLUMN person_id;
ALTER TABLE token DROP CONSTRAINT token_scope_check;
ALTER TABLE token ADD CONSTRAINT token_scope_check CHECK (scope IN ('tests'));
DROP TABLE record;
DROP TABLE sign_in_wait;
DROP TABLE invitation;
DROP TABLE session;
DROP TABLE membership;
DROP TABLE person;
