package control

import (
	"bytes"
	"cmp"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func contractView(c *catalog.Contract) api.Contract {
	view := api.Contract{Title: c.Title, Version: c.Version, Format: c.Format, Revision: c.Revision, File: c.File, Main: c.Main, Files: c.Files,
		Callbacks: c.Callbacks, Webhooks: len(c.Webhooks)}
	for _, s := range c.Servers {
		view.Servers = append(view.Servers, api.Server(s))
	}
	for _, s := range c.SignIn {
		if s.Kind == contract.SignInToken {
			view.Tokens = append(view.Tokens, s.Path)
		}
	}
	return view
}

func (s *server) postImport(c *gin.Context) {
	in, err := s.readImport(c)
	if err == nil && !holder(c).Whole() {
		err = s.mayImport(c, in)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	var report api.ImportReport // made before anything is changed, since making it can fail
	in.Before = func(imported catalog.Imported) { report = s.importReport(imported) }
	imported, err := s.Catalog.Import(c.Request.Context(), in)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	status := http.StatusCreated
	if imported.DryRun {
		status = http.StatusOK
	}
	c.Header("Location", "/api/v1/services/"+url.PathEscape(imported.Service.Spec.Name))
	c.PureJSON(status, report)
}

// mayImport refuses an import that is about a service which a limited token may not change,
// or that does not say which it is about.
func (s *server) mayImport(c *gin.Context, in catalog.Import) error {
	name := cmp.Or(s.nameOf(in.Into), in.Name)
	if name == "" {
		return problem.New(problem.Invalid, "token %q is limited to services: say which one the contract is of (--name, or --into)", holder(c).Name)
	}
	return holder(c).Refuse(access.Need{Right: access.Edit, Service: name})
}

// readImport reads the contract from the body, or takes an earlier revision of
// the service again.
func (s *server) readImport(c *gin.Context) (catalog.Import, error) {
	in := catalog.Import{
		File: c.Query("file"), Main: c.Query("main"), Name: c.Query("name"), Into: c.Query("into"), Answers: c.Query("answers"),
		DryRun: isOn(c, "dryRun"), At: time.Now(),
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
		return in, problem.New(problem.Invalid, "revision restores an earlier revision: it needs into, and no body")
	}
	revision, err := revisionOf(c.Query("revision"))
	if err != nil {
		return in, err
	}
	stored, err := s.Catalog.ContractText(c.Request.Context(), in.Into, revision)
	in.Text, in.File, in.Main = stored.Text, stored.File, stored.Main
	return in, err
}

// fetchImport takes the contract from an address, where the service was
// started with leave to ask other addresses.
func (s *server) fetchImport(c *gin.Context, in catalog.Import, address string, hasBody bool) (catalog.Import, error) {
	switch {
	case s.Fetch == nil:
		return in, problem.New(problem.Refused, "imports by URL are switched off (serve --import-urls allows them)")
	case hasBody || c.Query("revision") != "":
		return in, problem.New(problem.Invalid, "from cannot be combined with a body or a revision")
	}
	text, name, err := s.Fetch(c.Request.Context(), address)
	if in.File == "" {
		in.File = name
	}
	if in.Text = text; err == nil && in.Main == "" {
		in.Text, in.Main, err = s.gathered(c.Request.Context(), address, text)
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
	broken, _, _ := service.Contract.BrokenExamples(examplesAtImport)
	report.BrokenExamples = len(broken)
	if imported.Changes != nil {
		changes := changesView(*imported.Changes)
		report.Changes = &changes
	}
	for _, m := range imported.Orphans {
		report.Orphans = append(report.Orphans, api.PutResult{ID: m.Spec.ID, Outcome: "orphaned", Call: m.Asks()})
	}
	for _, m := range service.Mappings {
		if found := service.Deviations(m); len(found) > 0 {
			report.Deviating = append(report.Deviating, api.PutResult{ID: m.Spec.ID, Outcome: "deviating", Call: m.Asks(), Deviations: deviationViews(found)})
		}
	}
	for _, op := range service.Contract.Operations {
		if op.Skipped != nil {
			report.Skipped = append(report.Skipped, s.operationView(s.asDefined(), service, op))
			continue
		}
		report.Answers++
		if report.Try.URL == "" || op.Method == http.MethodGet && report.Try.Method != http.MethodGet {
			try := s.try(service, op)
			report.Try = api.Try{Method: op.Method, URL: s.TrafficURL + try.Address, Curl: try.Curl(s.TrafficURL), Operation: op.ID}
		}
	}
	if publisher, ok := service.Protocol().(contract.Publisher); ok { // a message is too long for a line
		address := s.address(service.Spec.Name) + "?" + publisher.Published()
		report.Try = api.Try{Method: http.MethodGet, URL: address, Curl: "curl '" + address + "'"}
	}
	return report
}

// How many examples are looked at when a contract is imported, and when somebody asks.
const (
	examplesAtImport = 300
	examplesAsked    = 5_000
)

// listBrokenExamples lists the examples of a contract that do not obey their schemas.
func (s *server) listBrokenExamples(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err == nil && service.Contract == nil {
		err = problem.New(problem.NotFound, "service %q has no contract", service.Spec.Name)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	broken, looked, all := service.Contract.BrokenExamples(examplesAsked)
	view := api.BrokenExamples{Items: []api.BrokenExample{}, Looked: looked, Of: all}
	for _, b := range broken {
		view.Items = append(view.Items, api.BrokenExample{Operation: b.Operation.ID, Place: b.Place(), Detail: b.Detail})
	}
	c.PureJSON(http.StatusOK, view)
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
		op := api.ChangedOperation{Operation: changed.Operation.String(), Effect: string(changed.Effect), Differences: []api.Difference{}}
		for _, d := range changed.Differences {
			op.Differences = append(op.Differences, api.Difference{Where: d.Where, What: d.What, Before: d.Before, After: d.After, Effect: string(d.Effect)})
		}
		view.Changed = append(view.Changed, op)
		*map[contract.Effect]*int{contract.Breaking: &view.Effects.Breaking, contract.Unknown: &view.Effects.Unknown, contract.Compatible: &view.Effects.Compatible}[changed.Effect]++
	}
	view.Effects.Breaking += len(view.Removed)
	view.Effects.Compatible += len(view.Added)
	return view
}

func (s *server) listRevisions(c *gin.Context) {
	revisions, err := s.Catalog.Revisions(c.Request.Context(), c.Param("service"))
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
		s.fail(c, problem.New(problem.Invalid, "revision 1 is the first: nothing to compare it with (since names another)"), nil)
		return
	}
	changes, err := s.Catalog.CompareRevisions(c.Request.Context(), c.Param("service"), from, to)
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
	stored, err := s.Catalog.ContractText(c.Request.Context(), c.Param("service"), revision)
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
	attached(c, cmp.Or(c.Query("file"), stored.Main, stored.File, "contract"))
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
