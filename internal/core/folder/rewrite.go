package folder

import (
	"bytes"
	"errors"
	"slices"
	"strings"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// edit replaces the mapping that begins in a line; nil takes it away.
type edit struct {
	line int
	want *spec.Mapping
}

// rewrite carries out edits on a file of mappings: the lines of all others, and
// the comments between them, stay as they are. left is how many mappings the
// file has then.
func rewrite(text []byte, edits []edit) (out []byte, left int, err error) {
	root, err := tree.Parse(text)
	if err != nil {
		return nil, 0, err
	}
	if root.Kind != tree.List {
		return rewriteSingle(text, root, edits[0].want)
	}
	lines := bytes.SplitAfter(text, []byte("\n"))
	starts := make([]int, 0, len(root.Items)+1)
	for _, item := range root.Items {
		if !beginsItem(lines[item.Line-1], int(item.Col)) || len(starts) > 0 && int(item.Line) <= starts[len(starts)-1] {
			return rewriteWhole(root, edits)
		}
		starts = append(starts, int(item.Line))
	}
	starts = append(starts, len(lines)+1)
	out = bytes.Join(lines[:starts[0]-1], nil)
	for i, item := range root.Items {
		span := lines[item.Line-1 : starts[i+1]-1]
		at := slices.IndexFunc(edits, func(e edit) bool { return e.line == int(item.Line) })
		if at < 0 {
			out, left = append(out, bytes.Join(span, nil)...), left+1
			continue
		}
		if want := edits[at].want; want != nil {
			indent := string(lines[item.Line-1][:item.Col-3])
			written, err := itemText(want, indent)
			if err != nil {
				return nil, 0, err
			}
			out, left = append(out, written...), left+1
		}
		out = append(out, bytes.Join(span[contentLines(span):], nil)...)
	}
	return out, left, nil
}

// beginsItem reports whether an element at this column is the first thing
// behind the dash of a block list.
func beginsItem(line []byte, col int) bool {
	return col >= 3 && col-1 <= len(line) && string(bytes.TrimLeft(line[:col-1], " ")) == "- "
}

// contentLines is how many lines of an element are its own: comments and empty
// lines behind it belong to what follows.
func contentLines(span [][]byte) int {
	count := len(span)
	for count > 1 {
		line := bytes.TrimSpace(span[count-1])
		if len(line) > 0 && line[0] != '#' {
			break
		}
		count--
	}
	return count
}

// rewriteSingle writes a file that is one mapping, under the comments that it
// begins with.
func rewriteSingle(text []byte, root *tree.Node, want *spec.Mapping) (out []byte, left int, err error) {
	if want == nil {
		return nil, 0, nil
	}
	lines := bytes.SplitAfter(text, []byte("\n"))
	out = bytes.Join(lines[:max(root.Line-1, 0)], nil)
	document, err := want.Document().YAML()
	return append(out, document...), 1, err
}

// rewriteWhole writes all mappings of a file anew, where its form does not let
// single ones be replaced.
func rewriteWhole(root *tree.Node, edits []edit) (out []byte, left int, err error) {
	for _, item := range root.Items {
		at := slices.IndexFunc(edits, func(e edit) bool { return e.line == int(item.Line) })
		if at >= 0 && len(root.Items) > 1 && root.Items[0].Line == root.Items[len(root.Items)-1].Line {
			return nil, 0, errors.New("several mappings stand in one line: put each in lines of its own")
		}
		document := item
		if at >= 0 {
			if edits[at].want == nil {
				continue
			}
			document = edits[at].want.Document()
		}
		written, err := listItem(document, "")
		if err != nil {
			return nil, 0, err
		}
		out, left = append(out, written...), left+1
	}
	return out, left, nil
}

// itemText is a mapping as an element of a list.
func itemText(m *spec.Mapping, indent string) ([]byte, error) { return listItem(m.Document(), indent) }

func listItem(n *tree.Node, indent string) ([]byte, error) {
	text, err := n.YAML()
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	for i, line := range strings.SplitAfter(strings.TrimSuffix(string(text), "\n"), "\n") {
		switch {
		case i == 0:
			b.WriteString(indent + "- ")
		case line != "\n":
			b.WriteString(indent + "  ")
		}
		b.WriteString(line)
	}
	b.WriteByte('\n')
	return b.Bytes(), nil
}
