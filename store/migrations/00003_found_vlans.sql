-- +goose Up
-- VLANs that a device was found to know though no port of it is in them.
ALTER TABLE found ADD COLUMN vlans int[] NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE found DROP COLUMN vlans;
