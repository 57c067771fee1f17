package store

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// variablesKey is the setting that has the variables of the environment.
const variablesKey = "variables"

// The owners of secret variables.
const environmentOwner = "environment"

func serviceOwner(id string) string    { return "service " + id }
func scenarioOwner(name string) string { return "scenario " + name }
func laneOwner(name string) string     { return "lane " + name }

// SealWith has secret variables encrypted under a key that follows from this one. It is
// called before anything is loaded.
func (s *Store) SealWith(key []byte) error {
	derived, err := hkdf.Key(sha256.New, key, nil, "secret variables", 32)
	if err != nil {
		return fmt.Errorf("derive the key of secret variables: %w", err)
	}
	block, err := aes.NewCipher(derived)
	if err != nil {
		return fmt.Errorf("set up the encryption of secret variables: %w", err)
	}
	if s.seal, err = cipher.NewGCM(block); err != nil {
		return fmt.Errorf("set up the encryption of secret variables: %w", err)
	}
	return nil
}

// secretRow is the value of one secret variable.
type secretRow struct {
	Owner  string `db:"owner"`
	Place  string `db:"place"`
	Sealed []byte `db:"sealed"`
}

// bound is what a sealed value is bound to, so that none can stand in another place.
func (r secretRow) bound() []byte { return []byte(r.Owner + "\x00" + r.Place) }

// loadVariables reads the variables of the environment, and gives all secrets their values.
func (s *Store) loadVariables(ctx context.Context, d *catalog.Definitions) error {
	var document []byte
	err := s.definitions.GetContext(ctx, &document, `SELECT value FROM settings WHERE key = ?`, variablesKey)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("read variables: %w", err)
	}
	if err == nil {
		if err := json.Unmarshal(document, &d.Variables); err != nil {
			setAside(d, err, "the variables")
		}
	}
	var rows []secretRow
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT owner, place, sealed FROM secret_variables`); err != nil {
		return fmt.Errorf("read secret variables: %w", err)
	}
	values := make(map[string]map[string]string)
	for _, row := range rows {
		value, err := s.open(row)
		if err != nil {
			setAside(d, err, "the secret variable %s of %s", row.Place, row.Owner)
			continue
		}
		if values[row.Owner] == nil {
			values[row.Owner] = make(map[string]string)
		}
		values[row.Owner][row.Place] = value
	}
	give := func(owner string, t spec.VariableTable) {
		t.EachSecret(func(place, _ string) string { return values[owner][place] })
	}
	give(environmentOwner, d.Variables.Variables.VariableTable)
	for _, stored := range d.Services {
		give(serviceOwner(stored.Service.ID), stored.Service.VariableTable)
	}
	for _, stored := range d.Scenarios {
		give(scenarioOwner(stored.Scenario.Name), spec.VariableTable{Variables: stored.Scenario.Variables})
	}
	for _, stored := range d.Lanes {
		give(laneOwner(stored.Spec.Name), spec.VariableTable{Variables: stored.Spec.Variables})
	}
	return nil
}

func (s *Store) open(row secretRow) (string, error) {
	if s.seal == nil {
		return "", errors.New("there is no key for it")
	}
	size := s.seal.NonceSize()
	if len(row.Sealed) < size {
		return "", errors.New("it is damaged")
	}
	plain, err := s.seal.Open(nil, row.Sealed[:size], row.Sealed[size:], row.bound())
	if err != nil {
		return "", errors.New("it was encrypted under another digest.key: put that back, or set the value again")
	}
	return string(plain), nil
}

// putVariables keeps the variables of the environment, and the secrets of all that a change
// is about.
func (s *Store) putVariables(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	var gone []string
	for _, id := range change.RemoveServices {
		gone = append(gone, serviceOwner(id))
	}
	for _, name := range change.RemoveScenarios {
		gone = append(gone, scenarioOwner(name))
	}
	for _, name := range change.RemoveLanes {
		gone = append(gone, laneOwner(name))
	}
	for _, owner := range gone {
		if err := s.putSecrets(ctx, tx, owner, spec.VariableTable{}); err != nil {
			return err
		}
	}
	if v := change.Variables; v != nil {
		document, err := json.Marshal(v)
		if err != nil {
			return fmt.Errorf("write variables: %w", err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, variablesKey, document); err != nil {
			return fmt.Errorf("keep variables: %w", err)
		}
		if err := s.putSecrets(ctx, tx, environmentOwner, v.Variables.VariableTable); err != nil {
			return err
		}
	}
	for _, stored := range change.Services {
		if err := s.putSecrets(ctx, tx, serviceOwner(stored.Service.ID), stored.Service.VariableTable); err != nil {
			return err
		}
	}
	for _, stored := range change.Scenarios {
		if err := s.putSecrets(ctx, tx, scenarioOwner(stored.Scenario.Name), spec.VariableTable{Variables: stored.Scenario.Variables}); err != nil {
			return err
		}
	}
	for _, stored := range change.Lanes {
		if err := s.putSecrets(ctx, tx, laneOwner(stored.Spec.Name), spec.VariableTable{Variables: stored.Spec.Variables}); err != nil {
			return err
		}
	}
	return nil
}

// putSecrets keeps the secrets of an owner instead of those that it had.
func (s *Store) putSecrets(ctx context.Context, tx *sqlx.Tx, owner string, t spec.VariableTable) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM secret_variables WHERE owner = ?`, owner); err != nil {
		return fmt.Errorf("keep the secrets of %s: %w", owner, err)
	}
	values := make(map[string]string)
	t.EachSecret(func(place, value string) string {
		if value != "" {
			values[place] = value
		}
		return ""
	})
	return s.sealAll(ctx, tx, owner, values)
}

// sealAll keeps the values of secrets, by their places.
func (s *Store) sealAll(ctx context.Context, tx *sqlx.Tx, owner string, values map[string]string) error {
	if len(values) > 0 && s.seal == nil {
		return fmt.Errorf("keep the secrets of %s: there is no key for secret variables", owner)
	}
	for place, value := range values {
		row := secretRow{Owner: owner, Place: place}
		nonce := make([]byte, s.seal.NonceSize())
		_, err := rand.Read(nonce)
		if err == nil {
			row.Sealed = s.seal.Seal(nonce, nonce, []byte(value), row.bound())
			_, err = tx.NamedExecContext(ctx, `INSERT INTO secret_variables (owner, place, sealed) VALUES (:owner, :place, :sealed)`, row)
		}
		if err != nil {
			return fmt.Errorf("keep the secrets of %s: %w", owner, err)
		}
	}
	return nil
}
