package people

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestPasswords: the same letters, however typed, are the same password; others and
// changed hashes are not; what is guessed soon is refused.
func TestPasswords(t *testing.T) {
	quick := Cost{Passes: 1, Memory: 64, Lanes: 1}
	for _, p := range []string{"correct horse battery staple", "Zürich über 12 Brücken", strings.Repeat("ab c", 64)} {
		h, err := quick.Hash(p)
		require.NoError(t, err)
		other, err := quick.Hash(p)
		require.NoError(t, err)
		require.NotEqual(t, h, other, "each has a salt of its own")
		require.True(t, Verify(h, p))
		require.False(t, Verify(h, p+" "))
		require.False(t, Verify(h, strings.ToUpper(p)))
		for i := range h {
			changed := h[:i] + string(h[i]^1) + h[i+1:]
			require.False(t, i > len(h)-40 && i < len(h)-1 && Verify(changed, p), changed)
		}
	}
	h, err := quick.Hash("Zürich über 12 Brücken")
	require.NoError(t, err)
	require.True(t, Verify(h, "Zu\u0308rich u\u0308ber 12 Bru\u0308cken"), "typed as letters and marks")
	for _, bad := range []string{"", "$argon2id$", "$argon2id$v=19$m=64,t=0,p=1$AAAA$AAAA", "$argon2i$v=19$m=64,t=1,p=1$AAAA$AAAA", "$2b$12$abc"} {
		require.False(t, Verify(bad, "x"), bad)
	}
	for p, says := range map[string]string{
		"short":                    "at least 12 letters",
		"passwordpassword":         "guessed soon",
		"qwertyuiop12":             "guessed soon",
		"robin2robin2":             "guessed soon",
		strings.Repeat("x", 257):   "at most 256",
		"aaaaaaaaaaaaaaaaaaaa":     "guessed soon",
		"password-1999":            "guessed soon",
		"tulip-harbour":            "",
		"harbour-tulip-ox-lantern": "",
	} {
		err := Strong(p, "robin", "Robin")
		if says == "" {
			require.NoError(t, err, p)
		} else {
			require.ErrorContains(t, err, says, p)
		}
	}
}

// TestSecrets: each is another, of 256 bits, and only its hash is kept.
func TestSecrets(t *testing.T) {
	seen := map[string]bool{}
	for range 1000 {
		text, hash := Secret("k_")
		require.Len(t, text, 45)
		require.False(t, seen[text])
		seen[text] = true
		require.Equal(t, hash, Hash(text))
	}
}

func TestRoles(t *testing.T) {
	for _, r := range Roles {
		again, err := RoleOf(r.String())
		require.NoError(t, err)
		require.Equal(t, r, again)
	}
	_, err := RoleOf("nobody")
	require.ErrorContains(t, err, "there are reader, planner, technician, carrier and keeper")
}

// TestAlike: names that look alike are told, whatever letters they are in, and others are not.
func TestAlike(t *testing.T) {
	for _, x := range [][2]string{{"Karl", "\u041aarl"}, {"Robin", "R\u043ebin"}, {"robin", "ROBIN"}, {"Paul", "\u0420aul"}, {"Sam", "\uff33am"}, {"Ill", "lll"}} {
		require.True(t, Alike(x[0], x[1]), "%q", x)
	}
	for _, x := range [][2]string{{"Karl", "Carl"}, {"Robin", "Robyn"}, {"Noor", "Nora"}, {"\u0410\u043d\u043d\u0430", "Anna"}} {
		require.False(t, Alike(x[0], x[1]), "%q", x)
	}
}
