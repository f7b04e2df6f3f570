-- +goose Up
-- Management is a host: its prefix and default gateway, as they were typed into the
-- device; where a device answers as it comes out of its box; and in how many minutes it
-- takes a change back that is not confirmed.
ALTER TABLE device
    ADD COLUMN manage_bits  smallint NOT NULL DEFAULT 0 CHECK (manage_bits BETWEEN 0 AND 128),
    ADD COLUMN manage_via   inet,
    ADD COLUMN manage_alone boolean  NOT NULL DEFAULT false,
    ADD COLUMN factory_at   inet,
    ADD COLUMN factory_vid  vid,
    ADD COLUMN confirms     smallint NOT NULL DEFAULT 0 CHECK (confirms BETWEEN 0 AND 1440),
    ADD CHECK (manage_addr IS NOT NULL OR manage_bits = 0 AND manage_via IS NULL AND NOT manage_alone),
    ADD CHECK (manage_via IS NULL OR NOT manage_alone AND family(manage_via) = family(manage_addr)),
    ADD CHECK ((factory_at IS NULL) = (factory_vid IS NULL));
ALTER TABLE device
    ALTER COLUMN manage_bits DROP DEFAULT,
    ALTER COLUMN manage_alone DROP DEFAULT,
    ALTER COLUMN confirms DROP DEFAULT;
