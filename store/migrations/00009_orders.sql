-- +goose Up
ALTER TABLE device ADD COLUMN has_console boolean NOT NULL DEFAULT false;
ALTER TABLE device ALTER COLUMN has_console DROP DEFAULT;

-- A work order: from what devices were set to, to a revision of the plan or back
-- from there. Both offices are kept in notation, so that the order means what it
-- meant whatever the plan does; told is the order as it is shown.
CREATE TABLE work_order (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    revision  bigint      NOT NULL,
    way       text        NOT NULL CHECK (way IN ('there', 'back')),
    as_is     text        NOT NULL,
    goal      text        NOT NULL,
    told      jsonb       NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    ended_at  timestamptz
);
CREATE UNIQUE INDEX work_order_open ON work_order (office_id) WHERE ended_at IS NULL;
CREATE INDEX work_order_office ON work_order (office_id, id);

-- Steps that somebody says are done: always the first ones of an order.
CREATE TABLE order_tick (
    order_id bigint      NOT NULL REFERENCES work_order ON DELETE CASCADE,
    step     int         NOT NULL CHECK (step >= 0),
    author   text        NOT NULL CHECK (author <> ''),
    made_at  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (order_id, step)
);

-- +goose Down
DROP TABLE order_tick, work_order;
ALTER TABLE device DROP COLUMN has_console;
