-- +goose Up
-- Steps of a device's sheet that somebody says are done. A step is named by
-- its text: when the plan moves on, other steps are to do.
CREATE TABLE sheet_tick (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    device    text        NOT NULL,
    step      text        NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (office_id, device, step)
);

-- What a device was found to be set to: its ports with their shapes in
-- bracket notation, as they were read, with who and when. All are kept; the
-- newest counts.
CREATE TABLE found (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    device    text        NOT NULL,
    ports     text[]      NOT NULL,
    shapes    text[]      NOT NULL,
    how       text        NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    CHECK (cardinality(ports) = cardinality(shapes))
);
CREATE INDEX found_device ON found (office_id, device, id);

-- +goose Down
DROP TABLE found, sheet_tick;
