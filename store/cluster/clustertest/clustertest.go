// Package clustertest gives the tests of a package a real PostgreSQL.
package clustertest

import (
	"context"
	"crypto/rand"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/store/cluster"
)

// Main runs a package's tests with a cluster of their own and gives their exit
// status. url is how to connect to it.
func Main(m *testing.M, url *string) int {
	dir, err := os.MkdirTemp("", "klammer-test-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	_ = os.Chmod(dir, 0o755) // the user postgres has to get in
	one, err := cluster.Start(context.Background(), dir, "fsync=off")
	if err != nil {
		fmt.Println("these tests need PostgreSQL:", err)
		return 1
	}
	defer func() { _ = one.Stop() }()
	*url = one.URL
	return m.Run()
}

// New makes a database that no other test writes into, on the server at url, and gives how to
// connect to it.
func New(t testing.TB, url string) string {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	name := "own_" + strings.ToLower(rand.Text()[:10])
	_, err = conn.Exec(t.Context(), "CREATE DATABASE "+name+" TEMPLATE template0")
	require.NoError(t, err)
	return strings.Replace(url, "/"+conn.Config().Database+"?", "/"+name+"?", 1)
}

// Pace waits as a client does between two tries; false where the test is over, and so are they.
func Pace(t testing.TB, pause time.Duration) bool {
	select {
	case <-t.Context().Done():
		return false
	case <-time.After(pause):
		return true
	}
}
