package e2e

import (
	"bufio"
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
)

// runBinary runs the real program to its end.
func runBinary(t *testing.T, args ...string) (output string, code int) {
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	out, err := exec.CommandContext(ctx, binary, args...).CombinedOutput()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return string(out), exit.ExitCode()
	}
	require.NoError(t, err)
	return string(out), 0
}

// printedAddresses reads what the program prints when it has started, up to the
// line that begins with last.
func printedAddresses(out io.Reader, last string) map[string]string {
	addresses := map[string]string{}
	lines := bufio.NewScanner(out)
	line := regexp.MustCompile(`^(\w+) +(\S.*)$`)
	for addresses[last] == "" && lines.Scan() {
		if m := line.FindStringSubmatch(lines.Text()); m != nil {
			addresses[m[1]] = m[2]
		}
	}
	return addresses
}

// The demo as a person starts it: it prints its addresses, calls arrive, and
// Ctrl+C leaves nothing behind.
func TestTheDemo(t *testing.T) {
	t.Parallel()
	temporary := t.TempDir()
	cmd := exec.Command(binary, "demo", "--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--stand-ins", "127.0.0.1:0", "--proxy", "127.0.0.1:0")
	cmd.Dir = t.TempDir()
	cmd.Env = append(os.Environ(), "TMPDIR="+temporary)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	addresses := printedAddresses(out, "stop")
	require.Contains(t, addresses["data"], temporary)
	resp, err := http.Get(addresses["moorings"] + "/berths/N7")
	require.NoError(t, err)
	assert.Equal(t, 200, resp.StatusCode)
	require.NoError(t, resp.Body.Close())
	api, err := client.New(addresses["console"])
	require.NoError(t, err)
	defer api.Close()
	assert.Eventually(t, func() bool {
		list, err := api.Calls(t.Context(), client.CallQuery{})
		return err == nil && len(list.Items) > 3
	}, 15*time.Second, 100*time.Millisecond, "the harbour office calls")
	http.DefaultClient.CloseIdleConnections()

	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	assert.NoError(t, cmd.Wait(), "Ctrl+C is an ordinary end")
	left, err := os.ReadDir(temporary)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Following the log, as a person does in a terminal.
func TestCallsTail(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	cmd := exec.Command(binary, "calls", "tail", "--service", "moorings")
	cmd.Env = append(os.Environ(), "RAPIDMIMIC_URL="+s.control)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan())
	assert.Contains(t, lines.Text(), "ANSWERED BY", "the head stands once the stream is open")
	s.send("GET /tides/stations", "")
	s.send("GET /moorings/berths/N7", "")
	require.True(t, lines.Scan())
	assert.Regexp(t, `GET +/moorings/berths/N7 +200 +contract +getBerth`, lines.Text())
	_, err = s.api.SetImpairment(t.Context(), spec.Target{Service: "moorings"}, []byte("errors: { rate: 30% }"))
	require.NoError(t, err)
	require.True(t, lines.Scan())
	assert.Regexp(t, `^── .*  a-\w+  .*made moorings slow or failing: `, lines.Text(), "why answers are others from here on")
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	assert.NoError(t, cmd.Wait())
}

// Following what others change.
func TestActivityTail(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	cmd := exec.Command(binary, "activity", "tail", "--service", "moorings")
	cmd.Env = append(os.Environ(), "RAPIDMIMIC_URL="+s.control)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan(), "what was changed before is told first")
	for _, target := range []spec.Target{{Service: "tides"}, {Service: "moorings"}} {
		_, err := s.api.SetImpairment(t.Context(), target, []byte("errors: { rate: 30% }"))
		require.NoError(t, err)
	}
	for lines.Scan() && !strings.Contains(lines.Text(), "slow or failing") {
	}
	assert.Regexp(t, `  a-\w+  .*made moorings slow or failing: `, lines.Text())
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	assert.False(t, lines.Scan(), "nothing is told twice, nor what is about another service")
	assert.NoError(t, cmd.Wait())
}
