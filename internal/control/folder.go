package control

import (
	"cmp"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// filesOf unpacks the folder of a request, a zip archive.
func filesOf(c *gin.Context) ([]folder.File, error) {
	text, err := readBody(c)
	if err != nil {
		return nil, err
	}
	if !bundle.IsArchive(text) {
		return nil, problem.New(problem.Syntax, "the body must be a zip archive of the folder's files")
	}
	return bundle.Unpack(text, folder.MaxFiles)
}

// folderOf reads the folder of a request.
func folderOf(c *gin.Context) (*folder.Folder, error) {
	files, err := filesOf(c)
	if err != nil {
		return nil, err
	}
	read := folder.Read(files)
	if len(files) == 0 || read.IsNone() {
		return nil, problem.New(problem.Invalid, "the folder holds no environment: an environment.yaml, or folders of services with service.yaml, contract.yaml, *.mappings.yaml or payloads/")
	}
	return read, nil
}

// postComparison says what is another here than in a folder.
func (s *server) postComparison(c *gin.Context) {
	read, err := folderOf(c)
	var items []catalog.Item
	var report catalog.ApplyReport
	if err == nil {
		items, report, err = s.Catalog.CompareFolder(c.Request.Context(), read, time.Now())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := api.Comparison{Items: []api.EntryItem{}, Faults: append([]problem.Item{}, report.Faults...), Unknown: append([]string{}, report.Unknown...)}
	for _, item := range seenItems(c, items) {
		view.Items = append(view.Items, itemView(item))
	}
	c.PureJSON(http.StatusOK, view)
}

func (s *server) postApply(c *gin.Context) {
	read, err := folderOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	report, err := s.Catalog.ApplyFolder(c.Request.Context(), read, catalog.Apply{
		DryRun: isOn(c, "dryRun"), Prune: isOn(c, "prune"), Record: isOn(c, "record"), At: time.Now(),
		OverTheirs: isOn(c, "overTheirs"), Source: c.Query("source"),
	})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := api.ApplyReport{Items: []api.ApplyItem{}, Unchanged: report.Unchanged, Faults: append([]problem.Item{}, report.Faults...),
		Unknown: append([]string{}, report.Unknown...), Conflicts: report.Conflicts, DryRun: report.DryRun}
	for _, o := range report.Outcomes {
		view.Items = append(view.Items, api.ApplyItem(o))
	}
	c.PureJSON(http.StatusOK, view)
}

// postExport takes the folder as it is, an empty body for a new one, and says
// which files change.
func (s *server) postExport(c *gin.Context) {
	if c.Query("service") == "" && !s.may(c, access.Need{Right: access.View}) { // that is everything
		return
	}
	var files []folder.File
	if c.Request.ContentLength != 0 {
		var err error
		if files, err = filesOf(c); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	states, env, edits, err := s.Catalog.FolderState(c.Request.Context(), c.Query("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	edits.OverMine = isOn(c, "overMine")
	changes, err := folder.Update(files, states, edits.Keep)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if c.Query("service") == "" {
		more, err := folder.UpdateEnvironment(files, env, edits.Keep)
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		changes = append(changes, more...)
	}
	there := make(map[string]bool, len(files))
	for _, f := range files {
		there[f.Name] = true
	}
	report := api.ExportReport{Files: []api.ExportFile{}, Unchanged: len(files)}
	for _, change := range changes {
		file := api.ExportFile{Name: change.Name, Outcome: catalog.Created, Content: change.Text}
		if there[change.Name] {
			file.Outcome = catalog.Changed
			report.Unchanged--
		}
		if change.Remove {
			file.Outcome = catalog.Removed
		}
		report.Files = append(report.Files, file)
	}
	for _, o := range edits.Both {
		report.Kept = append(report.Kept, api.ApplyItem(o))
	}
	if len(report.Files) > 0 {
		what := cmp.Or(c.Query("service"), "the environment")
		if err := s.Catalog.Note(c.Request.Context(), c.Query("service"), "exported "+what+" to a folder"); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	c.PureJSON(http.StatusOK, report)
}
