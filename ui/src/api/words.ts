// Made by `klammer serve words`: the words of the core, for the page.

/** What a device is sold as. */
export const kinds = ["switch", "router", "firewall", "wap", "host", "other"] as const;
/** How a device passes frames between its ports. */
export const forwardings = ["bridge", "routed", "unaware", "unaware drops-tagged", "grouped"] as const;
/** How a device asks for memberships. */
export const wordings = ["by-vlan", "by-port", "by-choice", "by-group", "by-sub-interface", "by-inner-port", "linux"] as const;
/** What a device does of its own accord. */
export const habits = ["pvid-apart", "pvid-follows", "starts-tagged", "leaves-last", "keeps-pvid-vlan", "native-outside", "starts-all", "modes access,trunk"] as const;
/** What a device takes only so much of. */
export const limits = ["vlans", "addresses", "zones", "rows", "rules"] as const;
/** How a bundle is agreed on. */
export const bundleModes = ["lacp", "static"] as const;
/** What an inner port is. */
export const flavours = ["ssid", "vm", "cpu"] as const;
/** Words that start a statement. */
export const statements = ["office", "vlan", "use", "plan", "device", "cable", "plug", "service", "must", "never"] as const;
/** Words that start a statement of a device. */
export const inDevice = ["ports", "bundle", "bundles", "inner", "forwarding", "wording", "limit", "manage", "address", "follows", "outside", "route", "routing", "stateless", "stateful", "between", "within", "allow", "deny", "rule"] as const;
/** Words that a shape has. */
export const inShape = ["use", "off", "all", "needed", "pvid", "admit", "filter", "because"] as const;
/** Words that a port's name is quoted for. */
export const keywords = ["last", "office", "vlan", "use", "plan", "device", "cable", "plug", "service", "must", "never", "ports", "bundle", "bundles", "inner", "forwarding", "wording", "limit", "manage", "address", "follows", "outside", "route", "routing", "stateless", "stateful", "between", "within", "allow", "deny", "rule"] as const;
/** The verbs of the line. */
export const verbs = ["add", "allow", "bring", "copy", "deny", "follow", "move", "rename", "renumber", "replace", "retire", "swap", "talks", "withdraw", "plan"] as const;
/** Their forms, in the same order. */
export const verbForms = ["add NAME switch, 24 ports, by VLAN", "allow WHO to WHOM [SERVICES]", "bring VLAN to DEVICE.PORT … [tagged]", "copy DEVICE as NAME", "deny WHO to WHOM [SERVICES]", "follow DEVICE PLAN", "move DEVICE.PORTS to DEVICE.PORTS, or move plug NAME to DEVICE.PORT", "rename device|vlan|use|plan NAME to NAME", "renumber VLAN to VID [with subnets]", "replace DEVICE by switch, 48 ports, by VLAN, 25 to 49", "retire VLAN", "swap DEVICE.PORTS DEVICE.PORTS", "talks VLAN like VLAN", "withdraw VLAN from DEVICE.PORT …", "plan NAME from DEVICE"] as const;
/** What is noted of a device. */
export const deviceFacts = ["place", "model", "serial", "note"] as const;
/** What is noted of a port. */
export const portFacts = ["socket", "note"] as const;
/** What findings are called. */
export const findingCodes = ["not-carried", "untagged-mismatch", "one-way", "split", "merged", "pvid-not-member", "plug-unserved", "tag-into-unaware", "bundle-one-sided", "bundle-crossed", "bundle-uneven", "bundle-mode", "bundle-gap", "management-cut", "limit-passed", "unsayable", "address-outside", "plug-address", "subnet-overlap", "handout-outside", "gateway-twice", "handout-twice", "subnet-differs", "route-nowhere", "route-loop", "way-back", "must-fails", "never-fails", "plug-in-other", "plug-test", "bundle-partial", "loop", "pvid-differs", "many-untagged", "open-edge", "unregistered", "no-gateway", "management-shared", "management-alone", "needed-differs", "way-back-differs", "rule-one-way", "gateway-unclear", "no-outside", "outside-open", "handout-open", "cable-differs", "carries-unneeded", "left-in-default", "unused", "rule-unused", "exception-equal", "exception-unexplained", "number-habit", "plug-elsewhere"] as const;
