-- +goose Up
-- Who hears what of an office, and how. Somebody's own; without accounts, nobody's.
CREATE TABLE notice_to (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    person_id bigint      REFERENCES person ON DELETE CASCADE,
    way       text        NOT NULL CHECK (way IN ('mail', 'webhook', 'syslog')),
    target    text        NOT NULL CHECK (length(target) BETWEEN 1 AND 500),
    sealed    bytea,      -- what signs a webhook, sealed
    key_id    text,       -- with this key
    kinds     text[]      NOT NULL,
    daily     boolean     NOT NULL, -- once a day, all together
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX notice_to_office ON notice_to (office_id);
CREATE INDEX notice_to_person ON notice_to (person_id);

-- What is to be sent, until it was taken or given up. Who sends some of it holds it for a while:
-- next_at is then in the future.
CREATE TABLE notice (
    id      bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    to_id   bigint      NOT NULL REFERENCES notice_to ON DELETE CASCADE,
    kind    text        NOT NULL,
    said    text        NOT NULL,
    at      timestamptz NOT NULL DEFAULT now(),
    tries   int         NOT NULL DEFAULT 0,
    next_at timestamptz NOT NULL DEFAULT now(),
    ended   text        CHECK (ended IN ('sent', 'given up')),
    failed  text        NOT NULL DEFAULT ''
);
CREATE INDEX notice_due ON notice (next_at) WHERE ended IS NULL;
CREATE INDEX notice_to_id ON notice (to_id, id);

-- +goose Down
DROP TABLE notice;
DROP TABLE notice_to;
