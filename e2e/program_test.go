package e2e

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/cgi"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
)

// perform runs a program in a folder with nothing of this machine's settings.
func perform(t *testing.T, folder string, environment []string, program string, arguments ...string) string {
	cmd := exec.Command(program, arguments...)
	cmd.Dir = folder
	cmd.Env = append([]string{"PATH=" + os.Getenv("PATH"), "HOME=" + t.TempDir(), "LANG=C"}, environment...)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s %v: %s", program, arguments, out)
	return string(out)
}

// contents are the files below a folder by what is in them; some parts of it are left
// out.
func contents(t *testing.T, folder string, without ...string) map[string]string {
	files := make(map[string]string)
	require.NoError(t, filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name := strings.TrimPrefix(path, folder)
		for _, part := range without {
			if strings.Contains(name, part) {
				return nil
			}
		}
		if entry.Type().IsRegular() {
			text, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			files[name] = fmt.Sprintf("%x", sha256.Sum256(text))
		}
		return nil
	}))
	return files
}

// gitServer serves a repository as git itself does.
func gitServer(t *testing.T) http.Handler {
	root := t.TempDir()
	work := filepath.Join(root, "work")
	author := []string{"GIT_AUTHOR_NAME=Ida", "GIT_AUTHOR_EMAIL=ida@quay.example", "GIT_COMMITTER_NAME=Ida", "GIT_COMMITTER_EMAIL=ida@quay.example"}
	perform(t, root, nil, "git", "init", "-q", "-b", "main", work)
	for i := range 40 {
		require.NoError(t, os.WriteFile(filepath.Join(work, fmt.Sprintf("berth-%d.txt", i)), bytes.Repeat(fmt.Appendf(nil, "berth %d\n", i), 200), 0o600))
		perform(t, work, nil, "git", "add", ".")
		perform(t, work, author, "git", "commit", "-q", "-m", fmt.Sprint("berth ", i))
	}
	perform(t, root, nil, "git", "clone", "-q", "--bare", work, filepath.Join(root, "quay.git"))
	path := strings.TrimSpace(perform(t, root, nil, "git", "--exec-path"))
	return &cgi.Handler{Path: filepath.Join(path, "git-http-backend"), Env: []string{"GIT_PROJECT_ROOT=" + root, "GIT_HTTP_EXPORT_ALL=1", "HOME=" + root}, InheritEnv: []string{"PATH"}}
}

// registry serves a package as npm wants it.
func registry(t *testing.T, base string) http.Handler {
	var tarball bytes.Buffer
	zipped := gzip.NewWriter(&tarball)
	archive := tar.NewWriter(zipped)
	for name, text := range map[string]string{"package/package.json": `{"name":"quay-lights","version":"1.2.3","main":"index.js"}`, "package/index.js": "module.exports = 'lit';\n"} {
		require.NoError(t, archive.WriteHeader(&tar.Header{Name: name, Mode: 0o644, Size: int64(len(text))}))
		_, err := archive.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, archive.Close())
	require.NoError(t, zipped.Close())
	sum := sha512.Sum512(tarball.Bytes())
	document, err := json.Marshal(map[string]any{"name": "quay-lights", "dist-tags": map[string]string{"latest": "1.2.3"}, "versions": map[string]any{"1.2.3": map[string]any{
		"name": "quay-lights", "version": "1.2.3", "main": "index.js",
		"dist": map[string]string{"tarball": base + "/quay-lights/-/quay-lights-1.2.3.tgz", "integrity": "sha512-" + base64.StdEncoding.EncodeToString(sum[:])},
	}}})
	require.NoError(t, err)
	mux := http.NewServeMux()
	mux.HandleFunc("/quay-lights", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/vnd.npm.install-v1+json")
		w.Header().Set("ETag", `"7"`)
		if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			w.Header().Set("Content-Encoding", "gzip")
			z := gzip.NewWriter(w)
			_, _ = z.Write(document)
			_ = z.Close()
			return
		}
		_, _ = w.Write(document)
	})
	mux.HandleFunc("/quay-lights/-/quay-lights-1.2.3.tgz", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/octet-stream")
		_, _ = w.Write(tarball.Bytes())
	})
	return mux
}

// packageIndex serves a package as apt wants it.
func packageIndex(t *testing.T, _ string) http.Handler {
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "deb", "DEBIAN"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "deb", "quay-lights"), bytes.Repeat([]byte("lit\n"), 5_000), 0o600))
	control := "Package: quay-lights\nVersion: 1.2.3\nArchitecture: all\nMaintainer: Ida <ida@quay.example>\nDescription: lights of the quay\n"
	require.NoError(t, os.WriteFile(filepath.Join(root, "deb", "DEBIAN", "control"), []byte(control), 0o600))
	require.NoError(t, os.Chmod(filepath.Join(root, "deb", "DEBIAN"), 0o755))
	perform(t, root, nil, "dpkg-deb", "--build", "--root-owner-group", "deb", "quay-lights.deb")
	deb, err := os.ReadFile(filepath.Join(root, "quay-lights.deb"))
	require.NoError(t, err)
	require.NoError(t, os.RemoveAll(filepath.Join(root, "deb")))
	index := fmt.Sprintf("%sFilename: ./quay-lights.deb\nSize: %d\nSHA256: %x\n", control, len(deb), sha256.Sum256(deb))
	require.NoError(t, os.WriteFile(filepath.Join(root, "Packages"), []byte(index), 0o600))
	release := fmt.Sprintf("Suite: quay\nDate: Sat, 28 Nov 2026 10:00:00 UTC\nSHA256:\n %x %d Packages\n", sha256.Sum256([]byte(index)), len(index))
	require.NoError(t, os.WriteFile(filepath.Join(root, "Release"), []byte(release), 0o600))
	return http.FileServer(http.Dir(root))
}

// Programs that nobody here wrote are recorded against the real thing, and cannot tell
// the difference when that is gone.
func TestProgramsCannotTellTheDifference(t *testing.T) {
	t.Parallel()
	modules := strings.TrimSpace(perform(t, ".", []string{"GOFLAGS=", "GOPATH=" + goEnv(t, "GOPATH"), "GOMODCACHE=" + goEnv(t, "GOMODCACHE")}, "go", "env", "GOMODCACHE"))
	version := strings.Fields(perform(t, "..", []string{"GOPATH=" + goEnv(t, "GOPATH"), "GOMODCACHE=" + modules, "GOCACHE=" + goEnv(t, "GOCACHE"), "GOPROXY=off", "GOFLAGS=-mod=mod"},
		"go", "list", "-m", "github.com/stretchr/testify"))[1]
	for name, program := range map[string]struct {
		upstream func(t *testing.T, base string) http.Handler
		// does runs the program in an empty folder; it gives what came of it.
		does func(t *testing.T, base, folder string) any
	}{
		"git clones a repository": {func(t *testing.T, _ string) http.Handler { return gitServer(t) }, func(t *testing.T, base, folder string) any {
			perform(t, folder, []string{"GIT_TERMINAL_PROMPT=0"}, "git", "clone", "-q", base+"/quay.git", "quay")
			log := perform(t, filepath.Join(folder, "quay"), nil, "git", "log", "--format=%H %s")
			perform(t, filepath.Join(folder, "quay"), nil, "git", "fsck", "--strict")
			return []any{log, contents(t, filepath.Join(folder, "quay"), ".git")}
		}},
		"git fetches one commit": {func(t *testing.T, _ string) http.Handler { return gitServer(t) }, func(t *testing.T, base, folder string) any {
			perform(t, folder, []string{"GIT_TERMINAL_PROMPT=0"}, "git", "clone", "-q", "--depth", "1", base+"/quay.git", "quay")
			return contents(t, filepath.Join(folder, "quay"), ".git")
		}},
		"go downloads a module": {func(*testing.T, string) http.Handler {
			return http.FileServer(http.Dir(filepath.Join(modules, "cache", "download")))
		}, func(t *testing.T, base, folder string) any {
			out := perform(t, folder, []string{"GOPROXY=" + base, "GOSUMDB=off", "GOFLAGS=-modcacherw", "GOMODCACHE=" + filepath.Join(folder, "mod"), "GOCACHE=" + filepath.Join(folder, "cache"), "GOTOOLCHAIN=local"},
				"go", "mod", "download", "-json", "github.com/stretchr/testify@"+version)
			return []any{strings.ReplaceAll(out, folder, ""), contents(t, filepath.Join(folder, "mod"))}
		}},
		"apt fetches a package": {packageIndex, func(t *testing.T, base, folder string) any {
			require.NoError(t, os.WriteFile(filepath.Join(folder, "sources"), []byte("deb [trusted=yes] "+base+" ./\n"), 0o600))
			for _, part := range []string{"state/lists/partial", "cache/archives/partial", "etc/parts"} {
				require.NoError(t, os.MkdirAll(filepath.Join(folder, part), 0o755))
			}
			require.NoError(t, os.WriteFile(filepath.Join(folder, "state", "status"), nil, 0o600))
			apt := func(arguments ...string) {
				perform(t, folder, nil, "apt-get", append([]string{"-q", "-o", "Dir::Etc::sourcelist=" + folder + "/sources", "-o", "Dir::Etc::sourceparts=" + folder + "/etc/parts",
					"-o", "Dir::State=" + folder + "/state", "-o", "Dir::State::status=" + folder + "/state/status", "-o", "Dir::Cache=" + folder + "/cache", "-o", "APT::Sandbox::User="}, arguments...)...)
			}
			apt("update")
			apt("download", "quay-lights")
			return contents(t, folder, "cache", "sources", "state", "etc")
		}},
		"npm installs a package": {registry, func(t *testing.T, base, folder string) any {
			require.NoError(t, os.WriteFile(filepath.Join(folder, "package.json"), []byte(`{"name":"quay","version":"1.0.0"}`), 0o600))
			perform(t, folder, nil, "npm", "install", "--registry", base, "--cache", filepath.Join(folder, "cache"), "--no-audit", "--no-fund", "--no-update-notifier", "quay-lights")
			says := perform(t, folder, nil, "node", "-p", "require('quay-lights')")
			return []any{says, contents(t, filepath.Join(folder, "node_modules"))}
		}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := start(t, config.Config{})
			base := s.traffic + "/office"
			upstream := httptest.NewServer(program.upstream(t, base))
			document := spec.NewService("office")
			document.Upstream = upstream.URL
			_, err := s.api.CreateService(t.Context(), document)
			require.NoError(t, err)
			var live any
			report := s.record("a run", func() { live = program.does(t, base, t.TempDir()) })
			assert.Empty(t, report.Skipped)
			assert.NotEmpty(t, report.Mappings)
			upstream.Close()
			assert.Equal(t, live, program.does(t, base, t.TempDir()), "played back")
			assert.Equal(t, live, program.does(t, base, t.TempDir()), "again")
		})
	}
}

// goEnv is a setting of the Go tool on this machine.
func goEnv(t *testing.T, name string) string {
	out, err := exec.Command("go", "env", name).Output()
	require.NoError(t, err)
	return strings.TrimSpace(string(out))
}
