-- +goose Up
-- How a device is spoken to; the first that answers is taken.
CREATE TABLE speaks (
    device_id   bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place       int    NOT NULL CHECK (place >= 0),
    protocol    text   NOT NULL CHECK (protocol IN ('snmp', 'ovsdb', 'ssh')),
    at          text   NOT NULL,
    credentials text   NOT NULL,
    saves       text   NOT NULL,
    PRIMARY KEY (device_id, protocol),
    UNIQUE (device_id, place) DEFERRABLE INITIALLY DEFERRED
);
ALTER TABLE plug ADD COLUMN own_mac macaddr;

-- What devices are read with: the secrets are sealed with the key of that id, which
-- is in no database.
CREATE TABLE credentials (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    name      text        NOT NULL CHECK (name <> ''),
    about     jsonb       NOT NULL,
    sealed    bytea       NOT NULL,
    key_id    text        NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, name)
);

-- What was read of a device last, as it told it, beside what it was found to be set
-- to; and how often all are read by themselves.
CREATE TABLE reading (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    device    text        NOT NULL,
    source    text        NOT NULL,
    told      jsonb,
    why       text        NOT NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, device),
    CHECK (told IS NOT NULL OR why <> '')
);
ALTER TABLE office ADD COLUMN read_every int NOT NULL DEFAULT 0 CHECK (read_every BETWEEN 0 AND 10080);
ALTER TABLE office ADD COLUMN read_at timestamptz NOT NULL DEFAULT now();

-- Ports that were found otherwise than before, and no work order did it.
CREATE TABLE drift (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    device    text        NOT NULL,
    said      text        NOT NULL,
    made_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX drift_office ON drift (office_id, id);

-- Where a network card was learnt, and since when it is there.
CREATE TABLE learnt (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    device    text        NOT NULL,
    port      text        NOT NULL,
    vid       int         NOT NULL CHECK (vid BETWEEN 1 AND 4094),
    mac       macaddr     NOT NULL,
    since     timestamptz NOT NULL DEFAULT now(),
    seen_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, device, port, vid, mac)
);

-- +goose Down
DROP TABLE drift, learnt, reading, credentials, speaks;
ALTER TABLE office DROP COLUMN read_every, DROP COLUMN read_at;
ALTER TABLE plug DROP COLUMN own_mac;
