package api

import "time"

// Authority is the certificate authority of the proxy.
type Authority struct {
	PEM    string `json:"pem"`
	SHA256 string `json:"sha256"`
	File   string `json:"file"` // on the machine of the service
	// Expires is when programs stop trusting it.
	Expires time.Time `json:"expires"`
	// Proxy is the base URL of the proxy, "" where there is none.
	Proxy string `json:"proxy,omitempty"`
}
