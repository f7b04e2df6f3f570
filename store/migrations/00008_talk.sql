-- +goose Up
-- Who may talk to whom: lines to the outside, routes, rules, names for services
-- and wishes.
ALTER TABLE vlan ADD COLUMN is_guarded boolean NOT NULL DEFAULT false;
ALTER TABLE plug ADD COLUMN own_addr inet;
ALTER TABLE device
    ADD COLUMN max_rules     int     NOT NULL DEFAULT 0 CHECK (max_rules >= 0),
    ADD COLUMN no_routing    boolean NOT NULL DEFAULT false,
    ADD COLUMN keeps         text    NOT NULL DEFAULT '' CHECK (keeps IN ('', 'stateful', 'stateless')),
    ADD COLUMN between_zones text    NOT NULL DEFAULT '' CHECK (between_zones IN ('', 'allow', 'deny')),
    ADD COLUMN within_zones  text    NOT NULL DEFAULT '' CHECK (within_zones IN ('', 'allow', 'deny'));
ALTER TABLE address
    ADD COLUMN is_gateway  boolean NOT NULL DEFAULT false,
    ADD COLUMN admits_some boolean NOT NULL DEFAULT false;  -- else everything

-- Words that start a side of a rule name no VLAN.
UPDATE vlan SET name = name || '-vlan' WHERE name IN ('any', 'outside', 'zone', 'vlan', 'to');
ALTER TABLE vlan ADD CONSTRAINT vlan_name_free CHECK (name NOT IN ('any', 'outside', 'zone', 'vlan', 'to'));

CREATE TABLE service (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint NOT NULL REFERENCES office ON DELETE CASCADE,
    place     int    NOT NULL,
    name      text   NOT NULL CHECK (name <> ''),
    UNIQUE (office_id, name),
    CONSTRAINT service_place UNIQUE (office_id, place) DEFERRABLE
);

CREATE TABLE outside_line (
    device_id bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place     int    NOT NULL,
    name      text   NOT NULL CHECK (name <> ''),
    port_id   bigint NOT NULL REFERENCES port ON DELETE CASCADE,
    vid       vid,
    addr      inet,
    via       inet,
    PRIMARY KEY (device_id, place),
    UNIQUE (device_id, name),
    UNIQUE NULLS NOT DISTINCT (port_id, vid),
    CHECK (via IS NULL OR addr IS NOT NULL)
);

-- Without a destination it is the default of both families, over a line.
CREATE TABLE route (
    device_id bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place     int    NOT NULL,
    to_net    cidr,
    via       inet,
    line      text,
    PRIMARY KEY (device_id, place),
    FOREIGN KEY (device_id, line) REFERENCES outside_line (device_id, name) DEFERRABLE INITIALLY DEFERRED,
    CHECK (num_nonnulls(via, line) = 1),
    CHECK (via IS NULL OR to_net IS NOT NULL AND family(via) = family(to_net))
);

CREATE TABLE rule (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    device_id bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place     int    NOT NULL,
    action    text   NOT NULL CHECK (action IN ('allow', 'deny')),
    note      text   NOT NULL,
    CONSTRAINT rule_place UNIQUE (device_id, place) DEFERRABLE
);

-- said is the wish in notation: no wish stands twice.
CREATE TABLE wish (
    id        bigint  GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint  NOT NULL REFERENCES office ON DELETE CASCADE,
    place     int     NOT NULL,
    is_must   boolean NOT NULL,
    said      text    NOT NULL,
    UNIQUE (office_id, said),
    CONSTRAINT wish_place UNIQUE (office_id, place) DEFERRABLE
);

-- Where packets come from or go to, of a rule or a wish.
CREATE TABLE side (
    rule_id bigint  REFERENCES rule ON DELETE CASCADE,
    wish_id bigint  REFERENCES wish ON DELETE CASCADE,
    is_from boolean NOT NULL,
    place   int     NOT NULL,
    kind    text    NOT NULL CHECK (kind IN ('any', 'outside', 'zone', 'vlan', 'net')),
    zone    text,
    vid     vid,
    net     cidr,
    UNIQUE NULLS NOT DISTINCT (rule_id, wish_id, is_from, place),
    CHECK (num_nonnulls(rule_id, wish_id) = 1),
    CHECK ((kind = 'zone') = (zone IS NOT NULL)),
    CHECK ((kind = 'vlan') = (vid IS NOT NULL)),
    CHECK ((kind = 'net') = (net IS NOT NULL))
);
CREATE INDEX side_wish ON side (wish_id);

-- What is asked for, of a rule, a wish, a name, or of what a device admits.
CREATE TABLE service_part (
    rule_id    bigint REFERENCES rule ON DELETE CASCADE,
    wish_id    bigint REFERENCES wish ON DELETE CASCADE,
    service_id bigint REFERENCES service ON DELETE CASCADE,
    device_id  bigint,
    address    int,
    place      int  NOT NULL,
    protocol   text NOT NULL CHECK (protocol IN ('any', 'ping', 'tcp', 'udp', 'service')),
    first_port int  CHECK (first_port BETWEEN 1 AND 65535),
    last_port  int  CHECK (last_port BETWEEN first_port AND 65535),
    named_id   bigint REFERENCES service DEFERRABLE INITIALLY DEFERRED,
    UNIQUE NULLS NOT DISTINCT (rule_id, wish_id, service_id, device_id, address, place),
    FOREIGN KEY (device_id, address) REFERENCES address ON DELETE CASCADE,
    CHECK (num_nonnulls(rule_id, wish_id, service_id, device_id) = 1),
    CHECK ((protocol IN ('tcp', 'udp')) = (first_port IS NOT NULL) AND (first_port IS NULL) = (last_port IS NULL)),
    CHECK ((protocol = 'service') = (named_id IS NOT NULL)),
    CHECK (service_id IS NULL OR protocol IN ('ping', 'tcp', 'udp'))
);
CREATE INDEX service_part_wish ON service_part (wish_id);
CREATE INDEX service_part_service ON service_part (service_id);
CREATE INDEX service_part_named ON service_part (named_id);
CREATE INDEX service_part_address ON service_part (device_id, address);

-- +goose Down
DROP TABLE service_part, side, wish, rule, route, outside_line, service;
ALTER TABLE vlan DROP CONSTRAINT vlan_name_free, DROP COLUMN is_guarded;
ALTER TABLE plug DROP COLUMN own_addr;
ALTER TABLE device DROP COLUMN max_rules, DROP COLUMN no_routing, DROP COLUMN keeps, DROP COLUMN between_zones, DROP COLUMN within_zones;
ALTER TABLE address DROP COLUMN is_gateway, DROP COLUMN admits_some;
