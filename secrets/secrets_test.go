package secrets_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/secrets"
)

func TestSeal(t *testing.T) {
	file := filepath.Join(t.TempDir(), "key")
	k, err := secrets.Load(file)
	require.NoError(t, err)
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := secrets.Load(file)
	require.NoError(t, err)
	require.Equal(t, k.ID(), again.ID())

	sealed, err := k.Seal([]byte("hush"), "1/switches")
	require.NoError(t, err)
	require.NotContains(t, string(sealed), "hush")
	text, err := again.Open(sealed, k.ID(), "1/switches")
	require.NoError(t, err)
	require.Equal(t, "hush", string(text))
	other, err := secrets.Load(file + "2")
	require.NoError(t, err)
	_, err = other.Open(sealed, k.ID(), "1/switches")
	require.ErrorContains(t, err, "bring the key file back")
	_, err = other.Open(sealed, other.ID(), "1/switches")
	require.ErrorContains(t, err, "changed")
	_, err = k.Open(sealed, k.ID(), "2/switches")
	require.ErrorContains(t, err, "of another place")
	for i := range sealed {
		bad := append([]byte{}, sealed...)
		bad[i] ^= 1
		_, err = k.Open(bad, k.ID(), "1/switches")
		require.Error(t, err)
	}
	_, err = k.Open(sealed[:5], k.ID(), "1/switches")
	require.ErrorContains(t, err, "cut off")

	require.NoError(t, os.Chmod(file, 0o644))
	_, err = secrets.Load(file)
	require.ErrorContains(t, err, "can be read by others (mode 644)")
	require.NoError(t, os.Chmod(file, 0o600))
	require.NoError(t, os.WriteFile(file, []byte("no key"), 0o600))
	_, err = secrets.Load(file)
	require.ErrorContains(t, err, "is no key")
}
