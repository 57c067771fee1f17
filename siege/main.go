//go:build linux

// The command siege lets everything happen to a service at once, for five minutes:
// load, edits, kills, hostile calls and definitions, slow callers, a disk that is full,
// with little memory. Then it looks whether what was promised was kept:
//
//	make siege
//
// All that was acknowledged is there, every call is counted, memory and descriptors are
// given back, and other callers waited at most twice as long as beside programs that only
// keep the processors busy. What is promised, and figures of a run,
// stand in docs/reliability.md. It sends traffic to this machine alone, and ends by
// itself.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sync"
	"syscall"
	"time"

	"rapidmimic.example/client"
)

const (
	controlAddress = "127.0.0.1:7494"
	trafficAddress = "127.0.0.1:7495"
	// memoryLimit is what the service is told, dataLimit what the system allows it.
	memoryLimit = 700 << 20
	dataLimit   = 1 << 30
	// noise is by how much a p99 of callers differs from one run to the next.
	noise = 2 * time.Millisecond
	// diskSize is how large the file system of its data folder is.
	diskSize = 400 << 20
)

func main() {
	binary := flag.String("binary", "bin/rapidmimic", "the program under siege")
	lasts := flag.Duration("for", 5*time.Minute, "how long")
	role := flag.String("be", "", "hostile: attack until killed; busy: keep one processor busy until killed")
	flag.Parse()
	switch *role {
	case "hostile":
		attack()
		return
	case "busy":
		for n := uint64(0); ; n = n*31 + 1 {
			runtime.KeepAlive(n)
		}
	}
	if err := run(*binary, *lasts); err != nil {
		fmt.Fprintln(os.Stderr, "siege:", err)
		os.Exit(1)
	}
}

func run(binary string, lasts time.Duration) error {
	folder, removeFolder, limited, err := smallDisk()
	if err != nil {
		return err
	}
	defer removeFolder()
	s := &siege{binary: binary, folder: folder, limitedDisk: limited, ledger: newLedger()}
	if err := s.start(); err != nil {
		return err
	}
	defer s.kill()
	if err := s.prepare(); err != nil {
		return err
	}
	part := lasts / 10
	fmt.Printf("%-44s", "quiet, to compare with")
	quiet := s.polite(part)
	fmt.Printf("p50 %7s  p99 %7s  of %d calls\n", quiet.at(50), quiet.at(99), quiet.count())

	fmt.Printf("%-44s", "beside busy programs, which do not call it")
	stop := s.unleash(busy)
	busied := s.polite(part)
	stop()
	fmt.Printf("p50 %7s  p99 %7s  of %d calls\n", busied.at(50), busied.at(99), busied.count())

	before := s.resources()
	fmt.Printf("%-44s", "hostile callers, definitions and slow callers")
	stop = s.unleash(s.editors, attackers)
	beside := s.polite(4 * part)
	fmt.Printf("p50 %7s  p99 %7s  of %d calls\n", beside.at(50), beside.at(99), beside.count())
	stop()
	s.report(before)

	fmt.Printf("%-44s", "kills in the middle of all that")
	kills := s.killing(3 * part)
	fmt.Printf("%d kills, %d edits acknowledged\n", kills, s.ledger.count())

	if s.limitedDisk {
		fmt.Printf("%-44s", "a disk that is full")
		fmt.Println(s.fullDisk(part))
	}
	return s.settle(part, busied, beside)
}

// siege is a service and what was done to it.
type siege struct {
	binary, folder string
	limitedDisk    bool
	ledger         *ledger

	mu      sync.Mutex // guards process and api
	process *exec.Cmd
	api     *client.Client
}

// smallDisk makes a folder on a file system of its own, where that is allowed.
func smallDisk() (folder string, remove func(), limited bool, err error) {
	if folder, err = os.MkdirTemp("", "rapidmimic-siege-"); err != nil {
		return "", nil, false, err
	}
	limited = true
	if err := syscall.Mount("siege", folder, "tmpfs", 0, fmt.Sprintf("size=%d", diskSize)); err != nil {
		fmt.Println("a small disk cannot be made here, so none gets full:", err)
		limited = false
	}
	return folder, func() {
		if limited {
			_ = syscall.Unmount(folder, 0)
		}
		_ = os.RemoveAll(folder)
	}, limited, nil
}

// start starts the service, and waits until it is ready.
func (s *siege) start() error {
	args := []string{fmt.Sprintf("--data=%d", dataLimit), s.binary, "serve", "--data", filepath.Join(s.folder, "data"), "--control", controlAddress, "--traffic", trafficAddress,
		"--proxy", "", "--memory-limit", fmt.Sprint(memoryLimit), "--keep-bytes", fmt.Sprint(100 << 20), "--log-level", "error"}
	process := exec.Command("prlimit", args...)
	process.Stderr = os.Stderr
	if err := process.Start(); err != nil {
		return err
	}
	api, err := client.New("http://" + controlAddress)
	if err != nil {
		return err
	}
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if _, err = api.Status(context.Background()); err == nil {
			break
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("the service does not start: %w", err)
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.process, s.api = process, api
	return nil
}

func (s *siege) client() *client.Client {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.api
}

func (s *siege) pid() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.process.Process.Pid // prlimit becomes the service
}

// kill ends the service in the middle of what it does.
func (s *siege) kill() {
	s.mu.Lock()
	process := s.process
	s.mu.Unlock()
	_ = process.Process.Kill()
	_ = process.Wait() // that it was killed is no news
}

// unleash runs actors until stop is called.
func (s *siege) unleash(actors ...func(ctx context.Context)) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	var all sync.WaitGroup
	for _, act := range actors {
		all.Go(func() { act(ctx) })
	}
	return func() {
		cancel()
		all.Wait()
	}
}

// attackers runs those who attack as a process of their own: it must not be this one
// that they slow down.
func attackers(ctx context.Context) { inAnotherProcess(ctx, "hostile") }

// busy keeps all processors busy without the service having a part in it: what that
// costs a caller is the machine's doing.
func busy(ctx context.Context) {
	var all sync.WaitGroup
	for range runtime.NumCPU() {
		all.Go(func() { inAnotherProcess(ctx, "busy") })
	}
	all.Wait()
}

func inAnotherProcess(ctx context.Context, role string) {
	self, err := os.Executable()
	if err != nil {
		fmt.Fprintln(os.Stderr, "siege:", err)
		os.Exit(1)
	}
	_ = exec.CommandContext(ctx, self, "-be", role).Run() // it is killed in the end
}

// attack runs all who attack.
func attack() {
	api, err := client.New("http://" + controlAddress)
	if err != nil {
		fmt.Fprintln(os.Stderr, "siege:", err)
		os.Exit(1)
	}
	s := &siege{api: api}
	s.unleash(s.hostileCallers, s.hostileDefinitions, s.slowCallers)
	time.Sleep(time.Hour)
}

// killing kills and restarts the service again and again while it is edited, called
// and attacked. It returns how often.
func (s *siege) killing(lasts time.Duration) (kills int) {
	stop := s.unleash(s.editors, attackers, func(ctx context.Context) { s.politeUntil(ctx) })
	defer stop()
	for end := time.Now().Add(lasts); time.Now().Before(end); kills++ {
		time.Sleep(3 * time.Second)
		s.kill()
		if err := s.start(); err != nil {
			fmt.Fprintln(os.Stderr, "siege:", err)
			os.Exit(1)
		}
	}
	return kills
}

// settle looks whether everything is as it was promised.
func (s *siege) settle(lasts time.Duration, busied, beside *latencies) error {
	var faults []error
	fault := func(format string, args ...any) { faults = append(faults, fmt.Errorf(format, args...)) }
	fmt.Printf("%-44s", "afterwards")
	counted, err := s.counted()
	if err != nil {
		return err
	}
	after := s.polite(lasts)
	now, err := s.counted()
	if err != nil {
		return err
	}
	fmt.Printf("p50 %7s  p99 %7s  of %d calls, %d counted\n", after.at(50), after.at(99), after.count(), now-counted)
	if int64(after.count()) != now-counted {
		fault("%d calls were answered and %d counted", after.count(), now-counted)
	}
	if lost := s.ledger.missing(s.client()); len(lost) > 0 {
		fault("%d edits were acknowledged and are gone, such as %s", len(lost), lost[0])
	}
	if p99, alike := beside.at(99), busied.at(99); p99 > 2*alike+noise {
		fault("other callers waited %s at p99 beside hostile ones, %s beside programs that only keep the processors busy", p99, alike)
	}
	final := s.resources()
	fmt.Printf("%-44s%s\n", "resources in the end", final)
	if final.descriptors > 150 {
		fault("%d descriptors are open in the end", final.descriptors)
	}
	if final.resident > memoryLimit {
		fault("%d MB are resident in the end", final.resident>>20)
	}
	return errors.Join(faults...)
}
