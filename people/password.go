package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
	"golang.org/x/text/unicode/norm"
)

// Cost is what a guess costs: argon2id (RFC 9106).
type Cost struct {
	Passes uint32
	Memory uint32 // KiB
	Lanes  uint8
}

// Usual is more than the least that RFC 9106, 4 and the trade ask for: 64 MiB, 3 passes.
var Usual = Cost{Passes: 3, Memory: 64 << 10, Lanes: 2}

const (
	saltSize = 16
	hashSize = 32
	// LeastLetters and MostLetters are how long a password is.
	LeastLetters = 12
	MostLetters  = 256
	// leastScore is that of a guess in 10^8 or more tries, of 0 to 4.
	leastScore = 3
)

// Strong says what is wrong with a password that is to be one's own, by its length and
// by how soon somebody guesses it who knows some words of it (a name); nil for nothing.
func Strong(password string, words ...string) error {
	n := utf8.RuneCountInString(password)
	switch {
	case !utf8.ValidString(password):
		return errors.New("a password is letters")
	case n < LeastLetters:
		return fmt.Errorf("a password has at least %d letters, and this one has %d: four words that have nothing to do with each other are good", LeastLetters, n)
	case n > MostLetters:
		return fmt.Errorf("a password has at most %d letters", MostLetters)
	}
	// What goes on after the first hundred letters makes no guess easier.
	if cut := []rune(password); zxcvbn.PasswordStrength(string(cut[:min(n, 100)]), append(words, "klammer")).Score < leastScore {
		return errors.New("this password is guessed soon: take four words that have nothing to do with each other")
	}
	return nil
}

// Hash is a password as it may be kept (the PHC string format); each is another.
func (c Cost) Hash(password string) (string, error) {
	salt := make([]byte, saltSize)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	enc := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, c.Memory, c.Passes, c.Lanes, enc.EncodeToString(salt), enc.EncodeToString(c.key(password, salt))), nil
}

// key is the same for the same letters, however they were typed (RFC 8265).
func (c Cost) key(password string, salt []byte) []byte {
	return argon2.IDKey(norm.NFC.AppendString(nil, password), salt, c.Passes, c.Memory, c.Lanes, hashSize)
}

// Verify says whether a password is the one that a hash is of.
func Verify(hash, password string) bool {
	parts := strings.Split(hash, "$")
	var version int
	var cost Cost
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &cost.Memory, &cost.Passes, &cost.Lanes); err != nil || cost.Passes == 0 || cost.Lanes == 0 {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) != hashSize || utf8.RuneCountInString(password) > MostLetters {
		return false
	}
	return subtle.ConstantTimeCompare(cost.key(password, salt), want) == 1
}
