// Package secrets seals what nobody may read in the database: AES-256-GCM under a key
// that is in a file of its own.
package secrets

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
)

// Key seals and opens.
type Key struct {
	id   string
	aead cipher.AEAD
}

// keySize is that of AES-256.
const keySize = 32

// Load reads a key from its file, and makes one where there is none. A file that
// others than its owner can read is refused.
func Load(file string) (*Key, error) {
	info, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) {
		raw := make([]byte, keySize)
		if _, err := rand.Read(raw); err != nil {
			return nil, err
		}
		one, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if err != nil {
			return nil, fmt.Errorf("the key for secrets cannot be made: %w", err)
		}
		if _, err = one.WriteString(hex.EncodeToString(raw) + "\n"); err == nil {
			err = one.Sync()
		}
		if more := one.Close(); err == nil {
			err = more
		}
		if err != nil {
			return nil, fmt.Errorf("the key for secrets cannot be written: %w", err)
		}
		return New(raw)
	}
	if err != nil {
		return nil, err
	}
	if mode := info.Mode().Perm(); mode&0o077 != 0 {
		return nil, fmt.Errorf("%s can be read by others (mode %o): chmod 600 %s", file, mode, file)
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	if len(text) > 2*keySize {
		text = text[:2*keySize]
	}
	raw := make([]byte, keySize)
	if n, err := hex.Decode(raw, text); err != nil || n != keySize {
		return nil, fmt.Errorf("%s is no key: %d hexadecimal digits", file, 2*keySize)
	}
	return New(raw)
}

// New is a key of 32 bytes.
func New(raw []byte) (*Key, error) {
	block, err := aes.NewCipher(raw)
	if err != nil || len(raw) != keySize {
		return nil, fmt.Errorf("a key has %d bytes, not %d", keySize, len(raw))
	}
	aead, err := cipher.NewGCM(block)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(raw)
	return &Key{hex.EncodeToString(sum[:6]), aead}, nil
}

// ID tells keys apart, and nothing of them.
func (k *Key) ID() string { return k.id }

// Seal seals a text for one place: it opens nowhere else.
func (k *Key) Seal(text []byte, place string) ([]byte, error) {
	nonce := make([]byte, k.aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, err
	}
	return k.aead.Seal(nonce, nonce, text, []byte(place)), nil
}

// Open opens what was sealed for a place under the key of an id.
func (k *Key) Open(sealed []byte, id, place string) ([]byte, error) {
	if id != k.id {
		return nil, fmt.Errorf("it is sealed with the key %s, and this server has %s: bring the key file back, or enter it again", id, k.id)
	}
	n := k.aead.NonceSize()
	if len(sealed) < n {
		return nil, errors.New("it is cut off")
	}
	text, err := k.aead.Open(nil, sealed[:n], sealed[n:], []byte(place))
	if err != nil {
		return nil, errors.New("it was changed, or is of another place")
	}
	return text, nil
}
