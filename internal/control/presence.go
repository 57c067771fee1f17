package control

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

const (
	// presentFor is how long a visitor counts as here after they were last heard of: pages say
	// that they are here more often.
	presentFor = 50 * time.Second
	// goneFor is how long what a page says after it said that it leaves counts for nothing: the two
	// overtake one another, since neither waits for the other.
	goneFor = 2 * time.Second
	// staysFor is how long a visitor counts as here whose stream has ended, and who may come back.
	staysFor = 3 * time.Second
	// maxPresent bounds those who are here.
	maxPresent = 500
)

// presence is who has the console open, and where.
type presence struct {
	mu       sync.Mutex // guards all below
	visitors map[string]visitor
	left     map[string]time.Time // who left, and when
	changed  chan struct{}        // closed when somebody comes, moves or leaves; nil until somebody asks
}

type visitor struct {
	name, at string
	editing  bool
	seen     time.Time
}

// put notes where a visitor is.
func (p *presence) put(id string, v visitor) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.pruneLocked(v.seen)
	if _, gone := p.left[id]; gone {
		return true
	}
	before, known := p.visitors[id]
	if !known && len(p.visitors) >= maxPresent {
		return false
	}
	if p.visitors == nil {
		p.visitors = make(map[string]visitor)
	}
	p.visitors[id] = v
	if before.at != v.at || before.name != v.name || before.editing != v.editing {
		p.tellLocked()
	}
	return true
}

func (p *presence) remove(id string, now time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.pruneLocked(now)
	if p.left == nil {
		p.left = make(map[string]time.Time)
	}
	if len(p.left) < maxPresent {
		p.left[id] = now
	}
	if _, known := p.visitors[id]; known {
		delete(p.visitors, id)
		p.tellLocked()
	}
}

// heard notes that a visitor was heard of, in so far as they count as here for another time.
func (p *presence) heard(id string, now time.Time, another time.Duration) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if v, known := p.visitors[id]; known {
		v.seen = now.Add(another - presentFor)
		p.visitors[id] = v
	}
}

// pruneLocked forgets those who were not heard of for a while.
func (p *presence) pruneLocked(now time.Time) {
	for id, v := range p.visitors {
		if now.Sub(v.seen) > presentFor {
			delete(p.visitors, id)
			p.tellLocked()
		}
	}
	for id, at := range p.left {
		if now.Sub(at) > goneFor {
			delete(p.left, id)
		}
	}
}

func (p *presence) tellLocked() {
	if p.changed != nil {
		close(p.changed)
		p.changed = nil
	}
}

// list is who is here; later is closed when that has changed.
func (p *presence) list(now time.Time) (here []api.Present, later <-chan struct{}) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.pruneLocked(now)
	for id, v := range p.visitors {
		here = append(here, api.Present{Visitor: id, Name: v.name, At: v.at, Editing: v.editing})
	}
	slices.SortFunc(here, func(a, b api.Present) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Visitor, b.Visitor))
	})
	if p.changed == nil {
		p.changed = make(chan struct{})
	}
	return here, p.changed
}

// putPresence says that a page of the console is open, and where.
func (s *server) putPresence(c *gin.Context) {
	var wanted api.Presence
	err := readFields(c, &wanted, "presence")
	id := c.Param("visitor")
	if err == nil && (len(id) > 60 || len(wanted.At) > 500 || !strings.HasPrefix(wanted.At, "/")) {
		err = problem.New(problem.Invalid, "a visitor is named by at most 60 bytes, and at is the path of a page")
	}
	if err == nil && !s.present.put(id, visitor{catalog.AuthorOf(c.Request.Context()), wanted.At, wanted.Editing, time.Now()}) {
		err = problem.New(problem.Unavailable, "so many have the console open that no more are told of")
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

func (s *server) deletePresence(c *gin.Context) {
	s.present.remove(c.Param("visitor"), time.Now())
	c.Status(http.StatusNoContent)
}

func (s *server) listPresence(c *gin.Context) {
	here, _ := s.presentTo(c)
	c.PureJSON(http.StatusOK, api.List[api.Present]{Items: here})
}

// presentTo is who is here, without what the token of a request may not see of where.
func (s *server) presentTo(c *gin.Context) (here []api.Present, later <-chan struct{}) {
	list, later := s.present.list(time.Now())
	here = append([]api.Present{}, list...)
	for i := range here {
		if name, is := strings.CutPrefix(here[i].At, "/services/"); is {
			name, _, _ = strings.Cut(name, "/")
			if plain, err := url.PathUnescape(name); err != nil || !sees(c, plain) {
				here[i].At, here[i].Editing = "/", false
			}
		}
	}
	return here, later
}

// sendPresent tells a reader of the stream who is here.
func (s *server) sendPresent(c *gin.Context, here []api.Present) {
	data, err := json.Marshal(here)
	if err != nil {
		panic(err) // our own structs always marshal
	}
	fmt.Fprintf(c.Writer, "event: present\ndata: %s\n\n", data)
}
