package api

// DigestRequest asks for the digest of a secret.
type DigestRequest struct {
	Secret string `json:"secret"`
}

// Digest is what a condition knows a secret by.
type Digest struct {
	Digest string `json:"digest"`
}
