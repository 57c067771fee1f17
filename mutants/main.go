// Command mutants puts small faults into the packages of the core, one at a time, and
// tells which of them the package's own tests do not notice. Files stay as they are:
// the compiler is given the faulty one in place of the real one.
//
//	go run ./mutants                       a sample of every package of the core
//	go run ./mutants -n 100 ./internal/core/match
//
// It prints the faults that survived, and the share that was caught; with -least it
// fails below that share.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"
)

// outcome is what became of a fault.
type outcome int

const (
	caught outcome = iota
	survived
	unbuildable // it is no program
)

func main() {
	count := flag.Int("n", 25, "how many faults to put into each package")
	seed := flag.Uint64("seed", 1, "which of all possible ones")
	patience := flag.Duration("timeout", time.Minute, "how long tests may take; a fault that hangs is caught")
	least := flag.Int("least", 0, "fail when less than this share, in percent, is caught")
	flag.Parse()
	patterns := flag.Args()
	if len(patterns) == 0 {
		patterns = []string{"./internal/core/..."}
	}
	packages, err := list(patterns)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	all, allCaught := 0, 0
	for _, p := range packages {
		faults, err := p.faults()
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		chance := rand.New(rand.NewPCG(*seed, uint64(len(p.ImportPath))))
		chance.Shuffle(len(faults), func(i, j int) { faults[i], faults[j] = faults[j], faults[i] })
		tried, found, survivors := p.try(faults, *count, *patience)
		if tried == 0 {
			continue
		}
		fmt.Printf("%-45s %3d of %3d caught, %3d %%\n", p.ImportPath, found, tried, 100*found/tried)
		for _, s := range survivors {
			fmt.Println("    " + s)
		}
		all, allCaught = all+tried, allCaught+found
	}
	if all == 0 {
		fmt.Println("no package with tests")
		return
	}
	fmt.Printf("%-45s %3d of %3d caught, %3d %%\n", "all", allCaught, all, 100*allCaught/all)
	if 100*allCaught/all < *least {
		os.Exit(1)
	}
}

// pkg is a package as go list tells of it.
type pkg struct {
	ImportPath, Dir           string
	GoFiles                   []string
	TestGoFiles, XTestGoFiles []string
}

// list gives the packages that have tests.
func list(patterns []string) (packages []pkg, err error) {
	out, err := exec.Command("go", append([]string{"list", "-json"}, patterns...)...).Output()
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	for decoder := json.NewDecoder(strings.NewReader(string(out))); decoder.More(); {
		var p pkg
		if err := decoder.Decode(&p); err != nil {
			return nil, err
		}
		if len(p.TestGoFiles)+len(p.XTestGoFiles) > 0 {
			packages = append(packages, p)
		}
	}
	return packages, nil
}

// try puts in faults, a few at the same time, until so many were judged.
func (p pkg) try(faults []fault, count int, patience time.Duration) (tried, found int, survivors []string) {
	var mu sync.Mutex
	var workers sync.WaitGroup
	next := 0
	for range runtime.NumCPU() {
		workers.Go(func() {
			for {
				mu.Lock()
				if tried >= count || next == len(faults) {
					mu.Unlock()
					return
				}
				f := faults[next]
				next++
				mu.Unlock()
				result := p.judge(f, patience)
				mu.Lock()
				switch {
				case result == unbuildable || tried >= count:
				case result == caught:
					tried, found = tried+1, found+1
				default:
					tried, survivors = tried+1, append(survivors, f.String())
				}
				mu.Unlock()
			}
		})
	}
	workers.Wait()
	return tried, found, survivors
}

// judge runs the package's own tests with a fault in it.
func (p pkg) judge(f fault, patience time.Duration) outcome {
	folder, err := os.MkdirTemp("", "mutant")
	if err != nil {
		return unbuildable
	}
	defer os.RemoveAll(folder)
	faulty, overlay := filepath.Join(folder, "faulty.go"), filepath.Join(folder, "overlay.json")
	mapping, _ := json.Marshal(map[string]map[string]string{"Replace": {f.file: faulty}}) // strings always marshal
	if os.WriteFile(faulty, f.text, 0o600) != nil || os.WriteFile(overlay, mapping, 0o600) != nil {
		return unbuildable
	}
	if exec.Command("go", "build", "-overlay", overlay, p.ImportPath).Run() != nil {
		return unbuildable
	}
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	test := exec.CommandContext(ctx, "go", "test", "-short", "-vet=off", "-timeout", patience.String(), "-overlay", overlay, p.ImportPath)
	if test.Run() != nil {
		return caught
	}
	return survived
}
