package probe

import (
	"encoding/binary"
	"errors"
	"fmt"
	"net"
	"os"
	"runtime"
	"strings"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"klammer/core/office"
)

// socket is a network interface by a packet socket (packet(7)).
type socket struct {
	file *os.File
	raw  syscall.RawConn
	card net.HardwareAddr
}

func order(v uint16) uint16 { return binary.NativeEndian.Uint16(binary.BigEndian.AppendUint16(nil, v)) }

// Open opens a network interface. The errors say what would help: it is not there, it is
// down, it is no Ethernet, or the right to it is missing.
func Open(name string) (Wire, error) {
	i, err := net.InterfaceByName(name)
	if err != nil {
		return nil, fmt.Errorf("this machine has no network interface %q: it has %s", name, interfaces())
	}
	switch {
	case i.Flags&net.FlagUp == 0:
		return nil, fmt.Errorf("%s is down: set it up first (ip link set %s up), as a probe changes nothing on the laptop", name, name)
	case len(i.HardwareAddr) != 6 || i.Flags&net.FlagLoopback != 0:
		return nil, fmt.Errorf("%s is no Ethernet: a probe sends and hears Ethernet frames", name)
	case i.Flags&net.FlagRunning == 0:
		return nil, fmt.Errorf("%s has no link: is the cable in at both ends?", name)
	}
	fd, err := packets()
	if errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES) {
		return nil, errors.New("a probe sends and hears whole frames, and this user has not the right to (CAP_NET_RAW): run it with sudo, or give the program the right once: sudo setcap cap_net_raw+p " + program())
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	// All frames come in, those for VLANs that the laptop has not among them; it ends with
	// the socket.
	err = errors.Join(
		unix.SetsockoptInt(fd, unix.SOL_PACKET, unix.PACKET_AUXDATA, 1),
		unix.SetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_TIMESTAMPNS, 1),
		unix.SetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_RCVBUF, 4<<20),
		unix.SetsockoptPacketMreq(fd, unix.SOL_PACKET, unix.PACKET_ADD_MEMBERSHIP, &unix.PacketMreq{Ifindex: int32(i.Index), Type: unix.PACKET_MR_PROMISC}),
		unix.Bind(fd, &unix.SockaddrLinklayer{Protocol: order(unix.ETH_P_ALL), Ifindex: i.Index}),
	)
	if err != nil {
		_ = unix.Close(fd)
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	one := &socket{file: os.NewFile(uintptr(fd), name), card: i.HardwareAddr}
	one.raw, err = one.file.SyscallConn()
	return one, err
}

// packets opens a socket for whole frames. A program that was given the right to it
// (capabilities(7): permitted, and not effective) takes it for the moment of opening, and for
// nothing else that it does.
func packets() (fd int, err error) {
	open := func() (int, error) {
		return unix.Socket(unix.AF_PACKET, unix.SOCK_RAW|unix.SOCK_CLOEXEC|unix.SOCK_NONBLOCK, 0)
	}
	if fd, err = open(); !errors.Is(err, unix.EPERM) {
		return fd, err
	}
	runtime.LockOSThread() // capabilities are a thread's
	defer runtime.UnlockOSThread()
	head := unix.CapUserHeader{Version: unix.LINUX_CAPABILITY_VERSION_3}
	var is [2]unix.CapUserData // 64 bits, in two
	if wrong := unix.Capget(&head, &is[0]); wrong != nil || is[0].Permitted&(1<<unix.CAP_NET_RAW) == 0 {
		return fd, err
	}
	was := is
	is[0].Effective |= 1 << unix.CAP_NET_RAW
	if wrong := unix.Capset(&head, &is[0]); wrong != nil {
		return fd, err
	}
	fd, err = open()
	return fd, errors.Join(err, unix.Capset(&head, &was[0]))
}

// interfaces names what there is to plug in.
func interfaces() string {
	all, _ := net.Interfaces()
	var names []string
	for _, i := range all {
		if i.Flags&net.FlagLoopback == 0 {
			names = append(names, i.Name)
		}
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// program is how this program is called.
func program() string {
	if p, err := os.Executable(); err == nil {
		return p
	}
	return "klammer"
}

func (s *socket) Card() net.HardwareAddr { return s.card }

func (s *socket) Close() error { return s.file.Close() }

func (s *socket) Send(frame []byte) error {
	_, err := s.file.Write(frame)
	if errors.Is(err, unix.ENETDOWN) {
		return fmt.Errorf("%s went down", s.file.Name())
	}
	if errors.Is(err, unix.ENOBUFS) {
		return nil // as lost on the way: it is sent again
	}
	return err
}

func (s *socket) Receive() (Frame, error) {
	data, more := make([]byte, 2048), make([]byte, 128)
	for {
		var n, m int
		var from unix.Sockaddr
		var got error
		err := s.raw.Read(func(fd uintptr) bool {
			n, m, _, from, got = unix.Recvmsg(int(fd), data, more, 0)
			return !errors.Is(got, unix.EAGAIN) && !errors.Is(got, unix.EINTR)
		})
		if err = errors.Join(err, got); err != nil {
			if errors.Is(err, unix.ENETDOWN) {
				err = fmt.Errorf("%s went down", s.file.Name())
			}
			return Frame{}, err
		}
		if at, ok := from.(*unix.SockaddrLinklayer); ok && at.Pkttype == unix.PACKET_OUTGOING {
			continue
		}
		frame := Frame{At: time.Now(), Data: data[:n]}
		frame.told(more[:m])
		return frame, nil
	}
}

// told takes the tag that the kernel took off, and when the frame came.
func (f *Frame) told(control []byte) {
	all, err := unix.ParseSocketControlMessage(control)
	if err != nil {
		return
	}
	for _, message := range all {
		switch {
		case message.Header.Level == unix.SOL_PACKET && message.Header.Type == unix.PACKET_AUXDATA && len(message.Data) >= int(unsafe.Sizeof(unix.TpacketAuxdata{})):
			if auxdata := (*unix.TpacketAuxdata)(unsafe.Pointer(&message.Data[0])); auxdata.Status&unix.TP_STATUS_VLAN_VALID != 0 {
				f.Tag = office.VID(auxdata.Vlan_tci & 0xfff)
			}
		case message.Header.Level == unix.SOL_SOCKET && message.Header.Type == unix.SCM_TIMESTAMPNS && len(message.Data) >= 16:
			f.At = time.Unix(int64(binary.NativeEndian.Uint64(message.Data)), int64(binary.NativeEndian.Uint64(message.Data[8:])))
		}
	}
}
