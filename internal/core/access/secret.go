package access

import (
	"crypto/sha256"
	"hash/crc32"
	"math/big"
	"strings"

	"rapidmimic.example/spec/problem"
)

// Prefix begins every secret, so that scanners know one that leaked: it is followed by 43
// letters and digits, and 6 of a checksum over all before.
const Prefix = "rapidmimic_"

const (
	digits   = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
	bodySize = 43 // digits of 256 bits
	sumSize  = 6  // digits of 32 bits
)

// NewSecret is the secret of a token, made of 256 random bits.
func NewSecret(random [32]byte) string {
	text := Prefix + inDigits(new(big.Int).SetBytes(random[:]), bodySize)
	return text + checksum(text)
}

func inDigits(n *big.Int, size int) string {
	out := make([]byte, size)
	base, rest := big.NewInt(int64(len(digits))), new(big.Int)
	for i := size - 1; i >= 0; i-- {
		n.DivMod(n, base, rest)
		out[i] = digits[rest.Int64()]
	}
	return string(out)
}

func checksum(text string) string {
	return inDigits(big.NewInt(int64(crc32.ChecksumIEEE([]byte(text)))), sumSize)
}

// digestOf is the digest of a secret. What cannot be one is an error, and looked up nowhere.
func digestOf(secret string) (digest [32]byte, err error) {
	body := len(secret) - sumSize
	if !strings.HasPrefix(secret, Prefix) || body != len(Prefix)+bodySize || checksum(secret[:body]) != secret[body:] {
		return digest, problem.New(problem.Unauthorized, "that is no token of Rapid Mimic: one begins with %s, and is copied whole", Prefix)
	}
	return sha256.Sum256([]byte(secret)), nil
}
