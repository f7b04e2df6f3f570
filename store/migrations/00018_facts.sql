-- +goose Up
-- What people note of things and what decides nothing, by its words: which there are is
-- declared in the core (office.FactWords), so that a new one needs no column.
ALTER TABLE device ADD COLUMN facts jsonb NOT NULL DEFAULT '{}' CHECK (jsonb_typeof(facts) = 'object');
ALTER TABLE port   ADD COLUMN facts jsonb NOT NULL DEFAULT '{}' CHECK (jsonb_typeof(facts) = 'object');
ALTER TABLE plug   ADD COLUMN facts jsonb NOT NULL DEFAULT '{}' CHECK (jsonb_typeof(facts) = 'object');
ALTER TABLE device ALTER COLUMN facts DROP DEFAULT;
ALTER TABLE port   ALTER COLUMN facts DROP DEFAULT;
ALTER TABLE plug   ALTER COLUMN facts DROP DEFAULT;
