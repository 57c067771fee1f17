package match

import "slices"

// Router finds values by path. It is filled once and then only read, from any
// number of goroutines; finding costs by the segments of the path, not by the
// number of templates.
type Router[T any] struct{ root routerNode[T] }

type routerNode[T any] struct {
	literals map[string]*routerNode[T]
	patterns []patternEdge[T] // those with more literal text before others
	any      *routerNode[T]
	values   []T
	rest     []T // of templates whose last segment takes all from here on
}

type patternEdge[T any] struct {
	segment segment
	next    *routerNode[T]
}

// Add makes value found by all paths that fit t.
func (r *Router[T]) Add(t Template, value T) {
	n := &r.root
	for _, s := range t.segments {
		if s.rest {
			n.rest = append(n.rest, value)
			return
		}
		if s.optional {
			n.values = append(n.values, value)
		}
		n = n.child(s)
	}
	n.values = append(n.values, value)
}

func (n *routerNode[T]) child(s segment) *routerNode[T] {
	switch s.class() {
	case 0:
		if n.literals == nil {
			n.literals = make(map[string]*routerNode[T])
		}
		next := n.literals[s.literal]
		if next == nil {
			next = &routerNode[T]{}
			n.literals[s.literal] = next
		}
		return next
	case 1:
		for _, edge := range n.patterns {
			if edge.segment.literal == s.literal {
				return edge.next
			}
		}
		next := &routerNode[T]{}
		i := 0
		for i < len(n.patterns) && n.patterns[i].segment.fixed >= s.fixed {
			i++
		}
		n.patterns = slices.Insert(n.patterns, i, patternEdge[T]{s, next})
		return next
	default:
		if n.any == nil {
			n.any = &routerNode[T]{}
		}
		return n.any
	}
}

// Find appends to dst the values of all templates that the segments fit, the
// more specific templates first.
func (r *Router[T]) Find(dst []T, segments []string) []T {
	return r.root.find(dst, segments)
}

func (n *routerNode[T]) find(dst []T, segments []string) []T {
	if len(segments) == 0 {
		return append(dst, n.values...)
	}
	head, rest := segments[0], segments[1:]
	if next := n.literals[head]; next != nil {
		dst = next.find(dst, rest)
	}
	for _, edge := range n.patterns {
		if edge.segment.fits(head) {
			dst = edge.next.find(dst, rest)
		}
	}
	if head == "" {
		return dst
	}
	if n.any != nil {
		dst = n.any.find(dst, rest)
	}
	return append(dst, n.rest...)
}
