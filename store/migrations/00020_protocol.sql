-- +goose Up
-- What was said of the steps of an order, and when: it is only ever added to, and is the
-- protocol of the evening. Orders that follow one another without an end are one evening,
-- known by its first.
ALTER TABLE work_order ADD COLUMN evening bigint REFERENCES work_order ON DELETE CASCADE;

CREATE TABLE order_said (
    id        bigint      GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    order_id  bigint      NOT NULL REFERENCES work_order ON DELETE CASCADE,
    step      int         NOT NULL CHECK (step >= 0),
    said      text        NOT NULL CHECK (said IN ('done', 'undone', 'refused', 'silent')),
    words     text        NOT NULL CHECK (length(words) <= 2000),
    by_device boolean     NOT NULL,
    author    text        NOT NULL CHECK (author <> ''),
    said_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX order_said_order ON order_said (order_id, id);

INSERT INTO order_said (order_id, step, said, words, by_device, author, said_at)
    SELECT order_id, step, 'done', '', false, author, made_at FROM order_tick ORDER BY made_at, step;

-- +goose Down
DROP TABLE order_said;
ALTER TABLE work_order DROP COLUMN evening;
