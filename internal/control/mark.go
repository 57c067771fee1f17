package control

import (
	"cmp"
	"net/http"
	"net/url"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
)

func markView(m catalog.Mark) api.Mark {
	view := api.Mark{Name: m.Name, At: m.At.UTC(), By: m.By, After: catalog.EntryID(m.Version), EveryNight: m.Nightly}
	if next := m.Next(); !next.IsZero() {
		view.Next = next.UTC()
	}
	return view
}

func (s *server) listMarks(c *gin.Context) {
	marks, err := s.Catalog.Marks(c.Request.Context())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[catalog.Mark, api.Mark]{items: marks, key: func(m catalog.Mark) string { return m.Name }, view: markView})
}

func (s *server) postMark(c *gin.Context) {
	var wanted api.MarkRequest
	err := readFields(c, &wanted, "mark")
	var mark catalog.Mark
	if err == nil {
		mark, err = s.Catalog.SetMark(c.Request.Context(), wanted.Name, wanted.EveryNight, time.Now())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("Location", "/api/v1/marks/"+url.PathEscape(mark.Name))
	c.PureJSON(http.StatusCreated, markView(mark))
}

func (s *server) patchMark(c *gin.Context) {
	var wanted api.MarkPatch
	err := readFields(c, &wanted, "mark")
	var mark catalog.Mark
	if err == nil {
		mark, err = s.Catalog.SetNightly(c.Request.Context(), c.Param("mark"), wanted.EveryNight, time.Now())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, markView(mark))
}

func (s *server) deleteMark(c *gin.Context) {
	if err := s.Catalog.RemoveMark(c.Request.Context(), c.Param("mark")); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

// postReturn brings everything back to a mark, and sets what is counted of calls in no lane
// to its start.
func (s *server) postReturn(c *gin.Context) {
	dryRun := isOn(c, "dryRun")
	entry, err := s.Catalog.BackTo(c.Request.Context(), c.Param("mark"), dryRun, time.Now())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	report := api.Return{DryRun: dryRun, Lines: []string{}}
	if entry != nil {
		for _, item := range entry.Items {
			report.Lines = append(report.Lines, entryLine(*entry, item))
		}
		if !dryRun {
			report.Entry = catalog.EntryID(entry.Version)
		}
	}
	if !dryRun {
		s.Engine.ResetLane(nil)
	}
	c.PureJSON(http.StatusOK, report)
}

// listDifferences tells what is another than it was at a moment.
func (s *server) listDifferences(c *gin.Context) {
	since := cmp.Or(c.Query("since"), "24h")
	at, noTime := momentOf("since", since, time.Now())
	if noTime != nil {
		at = time.Time{} // the name of a mark, or an entry
	}
	version, err := s.Catalog.VersionAt(c.Request.Context(), since, at)
	var items []catalog.Item
	if err == nil {
		items, err = s.Catalog.Differences(c.Request.Context(), version)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	items = seenItems(c, items)
	respondList(s, c, listing[catalog.Item, api.EntryItem]{items: items, key: catalog.Item.Name, view: itemView})
}
