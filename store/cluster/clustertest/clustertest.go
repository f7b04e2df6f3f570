// Package clustertest gives the tests of a package a real PostgreSQL.
package clustertest

import (
	"context"
	"fmt"
	"os"
	"testing"

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
