package control

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic/internal/core/answer"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/contract/bundle"
	"rapidmimic/internal/core/match"
	"rapidmimic/internal/core/sample"
	"rapidmimic/spec/api"
	"rapidmimic/spec/problem"
)

func contractView(c *catalog.Contract) api.Contract {
	return api.Contract{Title: c.Title, Version: c.Version, Format: c.Format, Revision: c.Revision, File: c.File, Main: c.Main, Files: c.Files}
}

func (s *server) postImport(c *gin.Context) {
	in, err := s.readImport(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	imported, err := s.Catalog.Import(c, in)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	status := http.StatusCreated
	if imported.DryRun {
		status = http.StatusOK
	}
	c.Header("Location", "/api/v1/services/"+url.PathEscape(imported.Service.Spec.Name))
	c.PureJSON(status, s.importReport(imported))
}

// readImport reads the contract from the body, or takes an earlier revision of
// the service again.
func (s *server) readImport(c *gin.Context) (catalog.Import, error) {
	in := catalog.Import{
		File: c.Query("file"), Main: c.Query("main"), Name: c.Query("name"), Into: c.Query("into"), Answers: c.Query("answers"),
		DryRun: c.Query("dryRun") == "true", At: time.Now(),
	}
	text, err := readBody(c)
	if err != nil {
		return in, err
	}
	if address := c.Query("from"); address != "" {
		return s.fetchImport(c, in, address, len(text) > 0)
	}
	if in.Text = text; c.Query("revision") == "" {
		if len(text) == 0 {
			return in, errNoBody
		}
		return in, nil
	}
	if in.Into == "" || len(text) > 0 {
		return in, problem.New(problem.Invalid, "revision takes an earlier revision again: it needs into, and no body")
	}
	revision, err := revisionOf(c.Query("revision"))
	if err != nil {
		return in, err
	}
	stored, err := s.Catalog.ContractText(c, in.Into, revision)
	in.Text, in.File, in.Main = stored.Text, stored.File, stored.Main
	return in, err
}

// fetchImport takes the contract from an address, where the service was
// started with leave to ask other addresses.
func (s *server) fetchImport(c *gin.Context, in catalog.Import, address string, hasBody bool) (catalog.Import, error) {
	switch {
	case s.Fetch == nil:
		return in, problem.New(problem.Refused, "this service imports from no address (serve --import-urls allows it)")
	case hasBody || c.Query("revision") != "":
		return in, problem.New(problem.Invalid, "from names an address to import from: it goes with neither a body nor a revision")
	}
	text, name, err := s.Fetch(c, address)
	if in.Text = text; in.File == "" {
		in.File = name
	}
	return in, err
}

func revisionOf(text string) (int, error) {
	revision, err := strconv.Atoi(text)
	if err != nil || revision < 1 {
		return 0, problem.New(problem.Invalid, "a revision is a number from 1, not %q", text)
	}
	return revision, nil
}

func (s *server) importReport(imported catalog.Imported) api.ImportReport {
	service := imported.Service
	report := api.ImportReport{
		Service: service.Spec.Name, Address: s.address(service.Spec.Name), Contract: contractView(service.Contract),
		Skipped: []api.Operation{}, Warnings: append([]problem.Item{}, service.Contract.Warnings...),
	}
	report.DryRun = imported.DryRun
	if imported.Changes != nil {
		changes := changesView(*imported.Changes)
		report.Changes = &changes
	}
	for _, m := range imported.Orphans {
		report.Orphans = append(report.Orphans, api.PutResult{ID: m.Spec.ID, Outcome: "orphaned", Call: m.Rule.String()})
	}
	for _, op := range service.Contract.Operations {
		if op.Skipped != nil {
			report.Skipped = append(report.Skipped, operationView(service, op))
			continue
		}
		report.Answers++
		if report.Try.URL == "" || op.Method == http.MethodGet && report.Try.Method != http.MethodGet {
			report.Try = api.Try{Method: op.Method, URL: s.address(service.Spec.Name) + examplePath(op.Template.String())}
		}
	}
	return report
}

// examplePath fills the parameters of a path with something that can be sent.
func examplePath(template string) string {
	for {
		before, rest, found := strings.Cut(template, "{")
		_, after, closed := strings.Cut(rest, "}")
		if !found || !closed {
			return template
		}
		template = before + "1" + after
	}
}

func changesView(changes contract.Changes) api.Changes {
	view := api.Changes{Added: []string{}, Removed: []string{}, Changed: []api.ChangedOperation{}}
	for _, op := range changes.Added {
		view.Added = append(view.Added, op.String())
	}
	for _, op := range changes.Removed {
		view.Removed = append(view.Removed, op.String())
	}
	for _, changed := range changes.Changed {
		op := api.ChangedOperation{Operation: changed.Operation.String(), Differences: []api.Difference{}}
		for _, d := range changed.Differences {
			op.Differences = append(op.Differences, api.Difference(d))
		}
		view.Changed = append(view.Changed, op)
	}
	return view
}

func (s *server) listRevisions(c *gin.Context) {
	revisions, err := s.Catalog.Revisions(c, c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.Revision]{Items: []api.Revision{}}
	for i, r := range revisions {
		list.Items = append(list.Items, api.Revision{
			Revision: r.Revision, File: r.File, Imported: r.Imported.UTC(), Current: i == len(revisions)-1,
		})
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) getChanges(c *gin.Context) {
	to, err := revisionOf(c.Param("revision"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	from := to - 1
	if since := c.Query("since"); since != "" {
		if from, err = revisionOf(since); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	if from < 1 {
		s.fail(c, problem.New(problem.Invalid, "revision 1 is the first: there is nothing before it to compare with (since names another)"), nil)
		return
	}
	changes, err := s.Catalog.CompareRevisions(c, c.Param("service"), from, to)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, changesView(changes))
}

func (s *server) getContract(c *gin.Context) { s.sendContract(c, 0) }

func (s *server) getRevision(c *gin.Context) {
	revision, err := revisionOf(c.Param("revision"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.sendContract(c, revision)
}

func (s *server) sendContract(c *gin.Context, revision int) {
	stored, err := s.Catalog.ContractText(c, c.Param("service"), revision)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if c.Query("as") == "archive" && bundle.IsArchive(stored.Text) {
		c.Data(http.StatusOK, "application/zip", stored.Text)
		return
	}
	text, err := catalog.ContractFile(stored, c.Query("file"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Data(http.StatusOK, documentType(text), text)
}

// documentType is the media type of a document, by how it begins.
func documentType(text []byte) string {
	switch start := bytes.TrimSpace(text[:min(len(text), 64)]); {
	case bytes.HasPrefix(start, []byte("{")):
		return "application/json"
	case bytes.HasPrefix(start, []byte("<")):
		return "application/xml"
	default:
		return "application/yaml"
	}
}

func (s *server) listOperations(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.Operation]{Items: []api.Operation{}}
	if service.Contract != nil {
		for _, op := range service.Contract.Operations {
			list.Items = append(list.Items, operationView(service, op))
		}
	}
	c.PureJSON(http.StatusOK, list)
}

// operationView tells how an operation answers when nothing else does.
func operationView(service *catalog.Service, op *contract.Operation) api.Operation {
	view := api.Operation{ID: op.ID, Method: op.Method, Path: op.Template.String(), Summary: op.Summary}
	if op.Skipped != nil {
		view.Skipped = op.Skipped.Detail
		if op.Skipped.Line > 0 {
			view.Skipped = fmt.Sprintf("line %d: %s", op.Skipped.Line, op.Skipped.Detail)
		}
		return view
	}
	chosen := service.Spec.Examples[op.ID]
	response := op.Named(chosen)
	if chosen == "" || response == nil {
		chosen, response = "", op.Success
	}
	view.MappedBy, view.Examples = mappedBy(service, op), exampleViews(op, chosen)
	view.Status, view.Body = response.Status, "none"
	offers := response.Offers
	if chosen != "" {
		offers = response.With(chosen)
	}
	if len(offers) == 0 {
		return view
	}
	wanted := answer.Wanted{Status: response.Status, Offer: offers[0], Example: chosen}
	built := answer.FromOperation(wanted, func() *sample.Draw { return sample.NewDraw(0, op.ID, 0) })
	view.MediaType, view.Sample, view.Body = offers[0].MediaType, string(built.Answer.Body), "generated"
	if built.Used != nil {
		view.Body, view.Example = "example", built.Used.Name
	}
	return view
}

func exampleViews(op *contract.Operation, chosen string) (views []api.Example) {
	for _, name := range op.ExampleNames() {
		response := op.Named(name)
		views = append(views, api.Example{
			Name: name, Summary: response.With(name)[0].Example(name).Summary, Status: response.Status, Chosen: name == chosen,
		})
	}
	return views
}

// mappedBy names the enabled mappings that answer the operation's own path
// instead of it, the winner first.
func mappedBy(service *catalog.Service, op *contract.Operation) (ids []string) {
	path := match.Split(nil, op.Template.String())
	for _, fit := range service.Fits(op.Method, path) {
		if fit.Method {
			ids = append(ids, fit.Rule.ID)
		}
	}
	return ids
}
