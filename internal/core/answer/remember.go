package answer

import (
	"fmt"
	"time"

	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Remembering is what the service remembers when it gives an answer. It is immutable.
type Remembering []remembered

type remembered struct {
	key     *expr.Template
	value   *expr.Template // nil to forget
	appends bool
	lasts   time.Duration
}

// CompileRemember compiles what an answer remembers, in which at is the place of the answer.
func CompileRemember(a spec.Answer, at string) (Remembering, []problem.Item) {
	c := &compiler{at: at + "/remember"}
	for _, named := range a.Let.Entries() {
		c.names = append(c.names, named.Key)
	}
	var all Remembering
	for i, r := range a.Remember {
		place := a.Remember.Place(i)
		one := remembered{key: c.compile(tree.NewString(r.Key), place+"/key"), appends: r.Append != nil, lasts: time.Duration(r.For)}
		switch {
		case r.Append != nil:
			one.value = c.compile(r.Append, place+"/append")
		case r.Value != nil:
			one.value = c.compile(r.Value, place+"/value")
		}
		all = append(all, one)
	}
	return all, c.faults
}

// Writes are what one call makes the service remember. The error is that of an expression.
func (r Remembering) Writes(scope *expr.Scope) ([]collection.Write, error) {
	writes := make([]collection.Write, 0, len(r))
	for _, one := range r {
		key, err := one.key.Text(scope, nil)
		switch {
		case err != nil:
			return nil, fmt.Errorf("remember, its key: %w", err)
		case !collection.IsKey(key):
			return nil, fmt.Errorf("remember, its key: the expression gives %.40q, expected a text of at most %d bytes", key, collection.MaxKey)
		}
		write := collection.Write{Key: key, Append: one.appends, For: one.lasts}
		if one.value != nil {
			if write.Node, err = one.value.Render(scope); err != nil {
				return nil, fmt.Errorf("remember %q: %w", key, err)
			}
		}
		writes = append(writes, write)
	}
	return writes, nil
}
