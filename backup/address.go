package backup

import (
	"fmt"
	neturl "net/url"
	"regexp"
	"strings"

	"github.com/jackc/pgx/v5"
)

// passed is what of an address PostgreSQL's own programs are told: which servers, which of
// them, and how they are to be recognised. The rest is of the library alone.
var passed = map[string]string{
	"host": "PGHOST", "port": "PGPORT", "target_session_attrs": "PGTARGETSESSIONATTRS",
	"sslmode": "PGSSLMODE", "sslrootcert": "PGSSLROOTCERT", "sslcert": "PGSSLCERT", "sslkey": "PGSSLKEY",
}

var setting = regexp.MustCompile(`(\w+)\s*=\s*(?:'((?:[^'\\]|\\.)*)'|(\S*))`)

// environment is what PostgreSQL's programs need to get to where an address leads the
// library: to the one of several servers, and with as much proof of who it is. It is in no
// list of processes, as words of a command would be.
func environment(cfg *pgx.ConnConfig) (env []string) {
	said := map[string]string{}
	text := cfg.ConnString()
	if u, err := neturl.Parse(text); err == nil && strings.Contains(text, "://") {
		var hosts, ports []string
		for _, one := range strings.Split(u.Host, ",") {
			host, port := one, "5432"
			if i := strings.LastIndexByte(one, ':'); i >= 0 && !strings.HasSuffix(one, "]") {
				host, port = one[:i], one[i+1:]
			}
			hosts, ports = append(hosts, strings.Trim(host, "[]")), append(ports, port)
		}
		if u.Host != "" {
			said["host"], said["port"] = strings.Join(hosts, ","), strings.Join(ports, ",")
		}
		for name, value := range u.Query() {
			said[name] = value[0]
		}
	} else {
		for _, m := range setting.FindAllStringSubmatch(text, -1) {
			said[m[1]] = regexp.MustCompile(`\\(.)`).ReplaceAllString(m[2], "$1") + m[3]
		}
	}
	if said["host"] == "" {
		said["host"] = cfg.Host
	}
	if said["port"] == "" {
		said["port"] = fmt.Sprint(cfg.Port)
	}
	for name, value := range said {
		if as := passed[name]; as != "" {
			env = append(env, as+"="+value)
		}
	}
	return append(env, "PGUSER="+cfg.User, "PGPASSWORD="+cfg.Password, "PGDATABASE="+cfg.Database)
}
