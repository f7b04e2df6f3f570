-- +goose Up
-- A VLAN identifier as IEEE 802.1Q allows it: 0 and 4095 are reserved.
CREATE DOMAIN vid AS integer CHECK (VALUE BETWEEN 1 AND 4094);

CREATE TABLE office (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title    text   NOT NULL,
    revision bigint NOT NULL DEFAULT 0 CHECK (revision >= 0)
);

CREATE TABLE vlan (
    office_id bigint  NOT NULL REFERENCES office ON DELETE CASCADE,
    vid       vid     NOT NULL,
    name      text    NOT NULL CHECK (name ~ '^[a-z][a-z0-9-]{0,31}$'),
    note      text    NOT NULL,
    is_local  boolean NOT NULL,
    PRIMARY KEY (office_id, vid),
    UNIQUE (office_id, name)
);

CREATE TABLE vlan_net (
    office_id bigint NOT NULL,
    vid       vid    NOT NULL,
    place     int    NOT NULL,
    net       cidr   NOT NULL,
    PRIMARY KEY (office_id, vid, place),
    UNIQUE (office_id, vid, net),
    FOREIGN KEY (office_id, vid) REFERENCES vlan ON DELETE CASCADE
);

-- "place" keeps the order in which things were given.
CREATE TABLE port_use (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint NOT NULL REFERENCES office ON DELETE CASCADE,
    place     int    NOT NULL,
    name      text   NOT NULL,
    UNIQUE (office_id, name)
);

CREATE TABLE port_plan (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint NOT NULL REFERENCES office ON DELETE CASCADE,
    place     int    NOT NULL,
    name      text   NOT NULL,
    UNIQUE (office_id, name)
);

CREATE TABLE plan_line (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    plan_id bigint NOT NULL REFERENCES port_plan ON DELETE CASCADE,
    place   int    NOT NULL,
    UNIQUE (plan_id, place)
);

-- Places on a front; 0 is the last port, -1 the one before it.
CREATE TABLE plan_range (
    line_id    bigint NOT NULL REFERENCES plan_line ON DELETE CASCADE,
    place      int    NOT NULL,
    from_place int    NOT NULL,
    to_place   int    NOT NULL,
    PRIMARY KEY (line_id, place)
);

CREATE TABLE device (
    id          bigint  GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id   bigint  NOT NULL REFERENCES office ON DELETE CASCADE,
    place       int     NOT NULL,
    name        text    NOT NULL CHECK (name <> '' AND name NOT LIKE '%.%'),
    kind        text    NOT NULL CHECK (kind IN ('switch', 'router', 'firewall', 'wap', 'host', 'other')),
    follows     text,
    forwarding  text    NOT NULL CHECK (forwarding IN ('bridge', 'routed', 'unaware', 'unaware drops-tagged', 'grouped')),
    wording     text    NOT NULL,
    habits      text[]  NOT NULL,
    max_vlans   int     NOT NULL CHECK (max_vlans >= 0),
    max_addresses int   NOT NULL CHECK (max_addresses >= 0),
    max_zones   int     NOT NULL CHECK (max_zones >= 0),
    max_rows    int     NOT NULL CHECK (max_rows >= 0),
    adjacent    boolean NOT NULL,
    manage_vid  vid,
    manage_addr inet,
    UNIQUE (office_id, name),
    FOREIGN KEY (office_id, follows) REFERENCES port_plan (office_id, name) DEFERRABLE INITIALLY DEFERRED,
    CHECK (manage_vid IS NOT NULL OR manage_addr IS NULL)
);

CREATE TABLE port (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    device_id bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place     int    NOT NULL,
    name      text   NOT NULL CHECK (name <> ''),
    kind      text   NOT NULL CHECK (kind IN ('physical', 'bundle', 'inner')),
    inside    text   NOT NULL,
    speed     int    NOT NULL CHECK (speed >= 0),
    mode      text   CHECK (mode IN ('lacp', 'static')),
    flavour   text   CHECK (flavour IN ('ssid', 'vm', 'cpu')),
    because   text   NOT NULL,
    UNIQUE (device_id, name),
    CHECK ((kind = 'bundle') = (mode IS NOT NULL)),
    CHECK ((kind = 'inner') = (flavour IS NOT NULL))
);

-- A port is in one bundle at the most.
CREATE TABLE bundle_member (
    port_id   bigint PRIMARY KEY REFERENCES port ON DELETE CASCADE,
    bundle_id bigint NOT NULL REFERENCES port ON DELETE CASCADE,
    place     int    NOT NULL,
    UNIQUE (bundle_id, place),
    CHECK (port_id <> bundle_id)
);

-- What a port, a use or a line of a plan is set to; each has one at the most.
CREATE TABLE shape (
    id           bigint  GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id    bigint  NOT NULL REFERENCES office ON DELETE CASCADE,
    port_id      bigint  UNIQUE REFERENCES port ON DELETE CASCADE,
    use_id       bigint  UNIQUE REFERENCES port_use ON DELETE CASCADE,
    plan_line_id bigint  UNIQUE REFERENCES plan_line ON DELETE CASCADE,
    is_off       boolean NOT NULL,
    use_name     text,
    rest         text    NOT NULL CHECK (rest IN ('none', 'all', 'needed')),
    pvid_said    boolean NOT NULL,
    pvid         vid,
    admit        text    NOT NULL CHECK (admit IN ('all', 'tagged', 'untagged')),
    filter       boolean NOT NULL,
    CHECK (num_nonnulls(port_id, use_id, plan_line_id) = 1),
    CHECK (pvid IS NULL OR pvid_said),
    CHECK (use_id IS NULL OR use_name IS NULL),
    FOREIGN KEY (office_id, use_name) REFERENCES port_use (office_id, name) DEFERRABLE INITIALLY DEFERRED
);

-- A member VLAN need not be in the register: that is a finding, not a fault of
-- the data.
CREATE TABLE shape_vlan (
    shape_id bigint  NOT NULL REFERENCES shape ON DELETE CASCADE,
    vid      vid     NOT NULL,
    tagged   boolean NOT NULL,
    wire     vid,
    PRIMARY KEY (shape_id, vid),
    UNIQUE (shape_id, wire),
    CHECK (wire IS NULL OR tagged AND wire <> vid)
);

CREATE TABLE address (
    device_id bigint NOT NULL REFERENCES device ON DELETE CASCADE,
    place     int    NOT NULL,
    vid       vid    NOT NULL,
    addr      inet   NOT NULL,
    on_port   bigint REFERENCES port ON DELETE CASCADE,
    zone      text   NOT NULL,
    hand_from inet,
    hand_to   inet,
    PRIMARY KEY (device_id, place),
    UNIQUE (device_id, vid, addr),
    CHECK (num_nonnulls(hand_from, hand_to) <> 1),
    CHECK (hand_from <= hand_to)
);

CREATE TABLE cable (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id bigint NOT NULL REFERENCES office ON DELETE CASCADE,
    place     int    NOT NULL
);

-- One cable a port.
CREATE TABLE cable_end (
    port_id  bigint PRIMARY KEY REFERENCES port ON DELETE CASCADE,
    cable_id bigint NOT NULL REFERENCES cable ON DELETE CASCADE,
    side     char   NOT NULL CHECK (side IN ('a', 'b')),
    UNIQUE (cable_id, side)
);

CREATE TABLE plug (
    id          bigint  GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    office_id   bigint  NOT NULL REFERENCES office ON DELETE CASCADE,
    place       int     NOT NULL,
    port_id     bigint  NOT NULL REFERENCES port ON DELETE CASCADE,
    name        text    NOT NULL,
    wants       vid     NOT NULL,
    tagged      boolean NOT NULL,
    is_operator boolean NOT NULL,
    UNIQUE (port_id, name)
);
CREATE UNIQUE INDEX plug_operator ON plug (office_id) WHERE is_operator;

-- What was done, by whom and when; one edit a revision.
CREATE TABLE edit (
    office_id bigint      NOT NULL REFERENCES office ON DELETE CASCADE,
    revision  bigint      NOT NULL CHECK (revision > 0),
    author    text        NOT NULL CHECK (author <> ''),
    made_at   timestamptz NOT NULL DEFAULT now(),
    summary   text        NOT NULL,
    undoes    bigint,
    PRIMARY KEY (office_id, revision),
    FOREIGN KEY (office_id, undoes) REFERENCES edit (office_id, revision)
);

-- Each change with what was before, so that it can be undone: statements in
-- bracket notation, null for "was not there".
CREATE TABLE edit_change (
    office_id bigint NOT NULL,
    revision  bigint NOT NULL,
    place     int    NOT NULL,
    key       text   NOT NULL,
    before    text,
    after     text,
    at_place  int    NOT NULL,
    PRIMARY KEY (office_id, revision, place),
    FOREIGN KEY (office_id, revision) REFERENCES edit ON DELETE CASCADE,
    CHECK (num_nonnulls(before, after) > 0)
);
CREATE INDEX shape_office ON shape (office_id);
CREATE INDEX device_office ON device (office_id);

-- +goose Down
DROP TABLE edit_change, edit, plug, cable_end, cable, address, shape_vlan, shape, bundle_member, port, device,
    plan_range, plan_line, port_plan, port_use, vlan_net, vlan, office;
DROP DOMAIN vid;
