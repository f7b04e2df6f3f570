-- +goose Up
-- The record is only added to, whoever asks.
-- +goose StatementBegin
CREATE FUNCTION record_kept() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'the record is only added to';
END
$$;
-- +goose StatementEnd
CREATE TRIGGER record_kept BEFORE UPDATE OR DELETE ON record FOR EACH STATEMENT EXECUTE FUNCTION record_kept();

-- +goose Down
DROP TRIGGER record_kept ON record;
DROP FUNCTION record_kept;
