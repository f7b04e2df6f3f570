-- +goose Up
-- The tagged VLANs of a shape as ranges: a trunk of all 4,094 is one value, not
-- as many rows. Those that ride another VID, and the untagged ones, stay rows.
ALTER TABLE shape ADD COLUMN tagged int4multirange NOT NULL DEFAULT '{}' CHECK (tagged <@ '{[1,4095)}'::int4multirange);
UPDATE shape s SET tagged = t.vids
    FROM (SELECT shape_id, range_agg(int4range(vid, vid + 1)) AS vids FROM shape_vlan WHERE tagged AND wire IS NULL GROUP BY shape_id) t
    WHERE t.shape_id = s.id;
DELETE FROM shape_vlan WHERE tagged AND wire IS NULL;
ALTER TABLE shape_vlan ADD CONSTRAINT shape_vlan_rides CHECK (tagged = (wire IS NOT NULL));

-- +goose Down
ALTER TABLE shape_vlan DROP CONSTRAINT shape_vlan_rides;
INSERT INTO shape_vlan (shape_id, vid, tagged)
    SELECT s.id, v, true FROM shape s, unnest(s.tagged) AS r, generate_series(lower(r), upper(r) - 1) AS v;
ALTER TABLE shape DROP COLUMN tagged;
