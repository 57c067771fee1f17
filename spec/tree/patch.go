package tree

import (
	"errors"
	"fmt"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// ErrTest says that a test of a patch did not hold.
var ErrTest = errors.New("a test of the patch does not hold")

// mostCopied bounds what the copy steps of one patch may add, in bytes.
const mostCopied = 10 << 20

// Patch applies a JSON Patch (RFC 6902) to a document, both in JSON. Members
// keep their order and numbers their digits. The error wraps ErrTest where a
// test does not hold; then, as always, nothing is changed.
func Patch(document, patch []byte) ([]byte, error) {
	steps, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return nil, fmt.Errorf("it is not a JSON Patch: %w", err)
	}
	options := jsonpatch.NewApplyOptions()
	options.AccumulatedCopySizeLimit = mostCopied
	options.EscapeHTML = false
	changed, err := steps.ApplyWithOptions(document, options)
	if errors.Is(err, jsonpatch.ErrTestFailed) {
		return nil, fmt.Errorf("%w: %v", ErrTest, err)
	}
	return changed, err
}

// MergePatch applies a JSON Merge Patch (RFC 7396) to a document, both in JSON.
func MergePatch(document, patch []byte) ([]byte, error) {
	return jsonpatch.MergePatch(document, patch)
}
