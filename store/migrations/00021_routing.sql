-- +goose Up
-- What a device that routes was found to have for that: its addresses, routes and rules, as
-- core/found.Routing is written in JSON. NULL where nobody looked.
ALTER TABLE found ADD COLUMN routing jsonb;

-- +goose Down
ALTER TABLE found DROP COLUMN routing;
