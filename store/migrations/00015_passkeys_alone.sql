-- +goose Up
-- Whose passkeys alone open the account: the password opens it no more.
ALTER TABLE person ADD COLUMN passkeys_alone boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE person DROP COLUMN passkeys_alone;
