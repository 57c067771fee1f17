package tree

import (
	"errors"
	"fmt"
	"slices"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// ErrTest says that a test of a patch did not hold.
var ErrTest = errors.New("a test of the patch does not hold")

// mostCopied bounds what the copy steps of one patch may add, in bytes.
const mostCopied = 10 << 20

// Patch applies a JSON Patch (RFC 6902) to a document, both in JSON. Members
// keep their order and numbers their digits; tests compare numbers by value. The
// error wraps ErrTest where a test does not hold; then, as always, nothing is
// changed.
func Patch(document, patch []byte) ([]byte, error) {
	steps, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return nil, fmt.Errorf("it is not a JSON Patch: %w", err)
	}
	options := jsonpatch.NewApplyOptions()
	options.AccumulatedCopySizeLimit = mostCopied
	options.EscapeHTML = false
	for len(steps) > 0 {
		done := slices.IndexFunc(steps, func(step jsonpatch.Operation) bool { return step.Kind() == "test" })
		switch done {
		case 0:
			done, err = 1, test(document, steps[0])
		case -1:
			done = len(steps)
			fallthrough
		default: // the document is read once for all steps up to the next test
			document, err = steps[:done].ApplyWithOptions(document, options)
		}
		if err != nil {
			return nil, err
		}
		steps = steps[done:]
	}
	return document, nil
}

// test reports that a document has not the value that a step tests for.
func test(document []byte, step jsonpatch.Operation) error {
	pointer, err := step.Path()
	if err != nil {
		return err
	}
	want := &Node{Kind: Null}
	if value := step["value"]; value != nil {
		if want, err = ParseJSON(*value); err != nil {
			return err
		}
	}
	root, err := ParseJSON(document)
	if err != nil {
		return err
	}
	if have := root.At(pointer); have == nil || !Equal(have, want) {
		return fmt.Errorf("%w: %s is not %s", ErrTest, pointer, want.AppendJSON(nil))
	}
	return nil
}

// MergePatch applies a JSON Merge Patch (RFC 7396) to a document, both in JSON.
func MergePatch(document, patch []byte) ([]byte, error) {
	return jsonpatch.MergePatch(document, patch)
}
