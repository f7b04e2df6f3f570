-- +goose Up
-- What became of a plug test; the newest of a port and a tag counts.
CREATE TABLE plug_test (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    port      text        NOT NULL,
    wire      int         NOT NULL CHECK (wire BETWEEN 0 AND 4094), -- 0: untagged
    became    text        NOT NULL CHECK (became IN ('passed', 'failed', 'open')),
    given     inet,       -- the address that the laptop was given
    instead   jsonb,      -- who answered, where that is known
    wrong     jsonb       NOT NULL,
    note      text        NOT NULL,
    how       text        NOT NULL CHECK (how IN ('hand', 'played')),
    planned   text        NOT NULL, -- what was to be seen there
    revision  bigint      NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX plug_test_place ON plug_test (office_id, port, wire, id);

-- +goose Down
DROP TABLE plug_test;
