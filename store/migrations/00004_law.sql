-- +goose Up
-- The places of things in their lists are one each, so that there is one order:
-- equal ones, which an older version could leave, are parted by age.
UPDATE port_use x SET place = r.n FROM (SELECT id, row_number() OVER (PARTITION BY office_id ORDER BY place, id) - 1 AS n FROM port_use) r WHERE r.id = x.id;
UPDATE port_plan x SET place = r.n FROM (SELECT id, row_number() OVER (PARTITION BY office_id ORDER BY place, id) - 1 AS n FROM port_plan) r WHERE r.id = x.id;
UPDATE device x SET place = r.n FROM (SELECT id, row_number() OVER (PARTITION BY office_id ORDER BY place, id) - 1 AS n FROM device) r WHERE r.id = x.id;
UPDATE cable x SET place = r.n FROM (SELECT id, row_number() OVER (PARTITION BY office_id ORDER BY place, id) - 1 AS n FROM cable) r WHERE r.id = x.id;
UPDATE plug x SET place = r.n FROM (SELECT id, row_number() OVER (PARTITION BY office_id ORDER BY place, id) - 1 AS n FROM plug) r WHERE r.id = x.id;
-- Deferrable: a statement that makes room moves several at once.
ALTER TABLE port_use ADD CONSTRAINT port_use_place UNIQUE (office_id, place) DEFERRABLE;
ALTER TABLE port_plan ADD CONSTRAINT port_plan_place UNIQUE (office_id, place) DEFERRABLE;
ALTER TABLE device ADD CONSTRAINT device_place UNIQUE (office_id, place) DEFERRABLE;
ALTER TABLE cable ADD CONSTRAINT cable_place UNIQUE (office_id, place) DEFERRABLE;
ALTER TABLE plug ADD CONSTRAINT plug_place UNIQUE (office_id, place) DEFERRABLE;

-- Who asks for an edit gives it a name of its own: asked again, it is not made
-- again.
ALTER TABLE edit ADD COLUMN token text CHECK (token <> '');
ALTER TABLE edit ADD CONSTRAINT edit_token UNIQUE (office_id, token);

-- +goose Down
ALTER TABLE edit DROP COLUMN token;
ALTER TABLE port_use DROP CONSTRAINT port_use_place;
ALTER TABLE port_plan DROP CONSTRAINT port_plan_place;
ALTER TABLE device DROP CONSTRAINT device_place;
ALTER TABLE cable DROP CONSTRAINT cable_place;
ALTER TABLE plug DROP CONSTRAINT plug_place;
