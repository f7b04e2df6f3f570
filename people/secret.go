package people

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
)

// Secret is 256 random bits that let somebody in: a session, an invitation, a token. The
// text is shown to him alone; the hash is kept. As nobody guesses it, one pass of SHA-256
// is enough.
func Secret(mark string) (text string, hash []byte) {
	var b [32]byte
	_, _ = rand.Read(b[:]) // it never fails (crypto/rand)
	text = mark + base64.RawURLEncoding.EncodeToString(b[:])
	return text, Hash(text)
}

// Hash is what is kept of a secret.
func Hash(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}
