-- +goose Up
-- What a person ticked of a plug test by its parts, and what his laptop was given besides its
-- address (mask, gateway, server), both as JSON. NULL where not known. Results may also be of
-- klammer look and of the page that tells a browser where it is.
ALTER TABLE plug_test ADD COLUMN parts jsonb;
ALTER TABLE plug_test ADD COLUMN lease jsonb;
ALTER TABLE plug_test DROP CONSTRAINT plug_test_how_check;
ALTER TABLE plug_test ADD CONSTRAINT plug_test_how_check CHECK (how IN ('hand', 'played', 'measured', 'looked'));

-- +goose Down
DELETE FROM plug_test WHERE how = 'looked';
ALTER TABLE plug_test DROP CONSTRAINT plug_test_how_check;
ALTER TABLE plug_test ADD CONSTRAINT plug_test_how_check CHECK (how IN ('hand', 'played', 'measured'));
ALTER TABLE plug_test DROP COLUMN lease;
ALTER TABLE plug_test DROP COLUMN parts;
