package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"

	"github.com/zalando/go-keyring"
)

// credentials are what `login` keeps, in a file for its user alone: for each environment how
// to get in. A token is in the system's keyring where there is one, else in the file.
type credentials struct {
	// Current is the address of the environment that commands speak to, "" for the usual one.
	Current string                `json:"current,omitempty"`
	At      map[string]credential `json:"at,omitempty"` // by address

	file string
}

type credential struct {
	Token string `json:"token,omitempty"`
	// Keyring is set where the token is in the keyring.
	Keyring bool `json:"keyring,omitempty"`
	// Authority is the one that its certificate is trusted by alone, in PEM; "" for those that
	// the system trusts.
	Authority string `json:"authority,omitempty"`
}

const keyringService = "rapidmimic"

func readCredentials() (*credentials, error) {
	folder, err := os.UserConfigDir()
	if err != nil {
		return &credentials{}, nil // nobody has logged in where there is no place for it
	}
	c := &credentials{file: filepath.Join(folder, "rapidmimic", "credentials.json")}
	text, err := os.ReadFile(c.file)
	if errors.Is(err, fs.ErrNotExist) {
		return c, nil
	}
	if err == nil {
		err = json.Unmarshal(text, c)
	}
	if err != nil {
		return c, fmt.Errorf("read %s: %w (remove it, and log in again)", c.file, err)
	}
	return c, nil
}

// write keeps them, whole or not at all.
func (c *credentials) write() error {
	if c.file == "" {
		return errors.New("there is no folder for settings on this machine: set HOME, or give the token by RAPIDMIMIC_TOKEN")
	}
	if err := os.MkdirAll(filepath.Dir(c.file), 0o700); err != nil {
		return fmt.Errorf("keep the login: %w", err)
	}
	text, err := json.MarshalIndent(c, "", "  ")
	if err != nil {
		return err
	}
	made := c.file + ".new"
	if err := os.WriteFile(made, text, 0o600); err != nil {
		return fmt.Errorf("keep the login: %w", err)
	}
	if err := os.Rename(made, c.file); err != nil {
		return fmt.Errorf("keep the login: %w", err)
	}
	return nil
}

// hasKeyring reports whether the system may have one: asking where there is none can wait for
// long, or start something.
func hasKeyring() bool {
	return runtime.GOOS != "linux" || os.Getenv("DBUS_SESSION_BUS_ADDRESS") != ""
}

// put keeps how to get into an environment, and says where its token is.
func (c *credentials) put(url, token, authority string) (where string, err error) {
	kept := credential{Token: token, Authority: authority}
	where = c.file
	if hasKeyring() && keyring.Set(keyringService, url, token) == nil {
		kept.Token, kept.Keyring, where = "", true, "the keyring of this system"
	}
	if c.At == nil {
		c.At = make(map[string]credential)
	}
	c.At[url], c.Current = kept, url
	return where, c.write()
}

// remove forgets an environment.
func (c *credentials) remove(url string) error {
	if c.At[url].Keyring {
		_ = keyring.Delete(keyringService, url) // what is not there need not go
	}
	delete(c.At, url)
	if c.Current == url {
		c.Current = ""
	}
	return c.write()
}

// token is that of an environment, "" for none.
func (c *credentials) token(url string) string {
	kept := c.At[url]
	if !kept.Keyring {
		return kept.Token
	}
	token, err := keyring.Get(keyringService, url)
	if err != nil {
		return "" // then it asks for one
	}
	return token
}
