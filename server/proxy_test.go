package server

import (
	"net"
	"os"
	"runtime"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestOwnerOfConnection: whose process is at the other end of a connection is told of that
// connection, and not of another at its port: one that was closed a moment ago is nobody's,
// and is listed as root's.
func TestOwnerOfConnection(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("this needs root, to be somebody else for a moment")
	}
	const somebody = 33 // a user of the system's, who need not be there
	listen := func() (net.Listener, *net.TCPAddr) {
		l, err := net.Listen("tcp4", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		return l, l.Addr().(*net.TCPAddr)
	}
	dial := func(from int, to *net.TCPAddr) (fd, port int) {
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		_, _, _ = syscall.RawSyscall(syscall.SYS_SETFSUID, somebody, 0, 0)
		defer func() { _, _, _ = syscall.RawSyscall(syscall.SYS_SETFSUID, 0, 0, 0) }()
		fd, err := syscall.Socket(syscall.AF_INET, syscall.SOCK_STREAM, 0)
		require.NoError(t, err)
		require.NoError(t, syscall.SetsockoptInt(fd, syscall.SOL_SOCKET, syscall.SO_REUSEADDR, 1))
		require.NoError(t, syscall.Bind(fd, &syscall.SockaddrInet4{Port: from, Addr: [4]byte{127, 0, 0, 1}}))
		require.NoError(t, syscall.Connect(fd, &syscall.SockaddrInet4{Port: to.Port, Addr: [4]byte{127, 0, 0, 1}}))
		at, err := syscall.Getsockname(fd)
		require.NoError(t, err)
		return fd, at.(*syscall.SockaddrInet4).Port
	}
	port := 0
	for range 4 { // closed by the one who asked: they stay for a minute
		l, at := listen()
		fd, from := dial(port, at)
		port = from
		conn, err := l.Accept()
		require.NoError(t, err)
		require.NoError(t, syscall.Close(fd))
		_, _ = conn.Read(make([]byte, 1))
		require.NoError(t, conn.Close())
	}
	l, at := listen()
	fd, _ := dial(port, at)
	defer syscall.Close(fd)
	conn, err := l.Accept()
	require.NoError(t, err)
	defer conn.Close()
	uid, ok := ownerOf(conn.RemoteAddr().(*net.TCPAddr).AddrPort(), at.AddrPort())
	require.True(t, ok)
	require.Equal(t, somebody, uid)
	require.True(t, serviceAt(conn))
}
