// Command mutate asks the tests of a package whether they would notice a small fault: it puts one after the other into
// the source (a comparison flipped, a statement dropped, a constant changed), runs the package's own tests, and prints
// the faults that none of them noticed. The files themselves are not touched: a fault is laid over them.
package main

import (
	"bufio"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/signal"
	"runtime"
	"strings"
	"sync"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "mutate:", err)
		os.Exit(1)
	}
}

func run() error {
	packages := flag.String("packages", "core/engine,core/save,core/upgrade,core/check,core/share",
		"the packages whose source is changed, separated by commas")
	count := flag.Int("n", 400, "how many faults are tried; those that cannot be built are replaced by others")
	seed := flag.Uint64("seed", 1, "which faults are drawn")
	only := flag.String("only", "", "tries just the faults whose description holds this text")
	again := flag.String("again", "", "tries just the faults that are listed in this file, as they were printed")
	wanted := flag.Float64("wanted", 85, "fails when fewer of 100 are noticed")
	jobs := flag.Int("jobs", runtime.NumCPU(), "how many are tried at the same time")
	flag.Parse()

	accepted, err := readAccepted("internal/mutate/equivalent.txt")
	if err != nil {
		return err
	}
	var all []mutant
	for _, folder := range strings.Split(*packages, ",") {
		found, err := mutantsOf(".", strings.Trim(folder, "./"))
		if err != nil {
			return err
		}
		all = append(all, found...)
	}
	all, err = chosen(all, *only, *again)
	if err != nil {
		return err
	}
	rand.New(rand.NewPCG(*seed, 0)).Shuffle(len(all), func(a, b int) { all[a], all[b] = all[b], all[a] })
	fmt.Printf("%d faults can be made; %d are tried\n", len(all), min(*count, len(all)))

	bench, err := newBench()
	if err != nil {
		return err
	}
	defer bench.close()
	for _, folder := range strings.Split(*packages, ",") {
		if err := bench.sound(strings.Trim(folder, "./")); err != nil {
			return err
		}
	}
	return tally(bench.tryAll(all, *count, *jobs), accepted, *wanted)
}

// The faults that somebody asked for: all, those that hold a text, or those that a file lists.
func chosen(all []mutant, only, listed string) ([]mutant, error) {
	names := map[string]bool{}
	if listed != "" {
		text, err := os.ReadFile(listed)
		if err != nil {
			return nil, err
		}
		for _, line := range strings.Split(string(text), "\n") {
			if _, name, ok := strings.Cut(line, "not noticed: "); ok {
				names[name] = true
			}
		}
	}
	var kept []mutant
	for _, m := range all {
		if strings.Contains(m.String(), only) && (listed == "" || names[m.name()]) {
			kept = append(kept, m)
		}
	}
	if len(kept) == 0 {
		return nil, fmt.Errorf("no fault is chosen")
	}
	return kept, nil
}

// Prints what was found; an error when the tests notice less than is wanted.
func tally(results <-chan result, accepted map[string]string, wanted float64) error {
	noticed, equal, missed := 0, 0, 0
	perPackage := map[string][2]int{}
	for one := range results {
		counted := perPackage[one.mutant.Package]
		counted[1]++
		reason, known := accepted[one.mutant.name()]
		switch {
		case one.noticed:
			noticed++
			counted[0]++
		case known:
			equal++
			counted[1]--
			fmt.Printf("%s\n    makes no difference: %s\n", one.mutant, reason)
		default:
			missed++
			fmt.Printf("%s\n    not noticed: %s\n", one.mutant, one.mutant.name())
		}
		perPackage[one.mutant.Package] = counted
		if n := noticed + equal + missed; n%20 == 0 {
			fmt.Fprintf(os.Stderr, "%d tried, %d noticed\n", n, noticed)
		}
	}
	for folder, counted := range perPackage {
		fmt.Printf("%-14s %d of %d noticed\n", folder, counted[0], counted[1])
	}
	if noticed+missed == 0 {
		return fmt.Errorf("no fault could be built")
	}
	share := 100 * float64(noticed) / float64(noticed+missed)
	fmt.Printf("%d noticed, %d not, %d make no difference: %.1f of 100 are noticed\n", noticed, missed, equal, share)
	if share < wanted {
		return fmt.Errorf("wanted are %g of 100", wanted)
	}
	return nil
}

// Faults that make no difference, each with its reason: a line with its name, and an indented line that says why.
func readAccepted(path string) (map[string]string, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	accepted := map[string]string{}
	name := ""
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		line := lines.Text()
		switch {
		case strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "":
		case strings.HasPrefix(line, " "):
			accepted[name] = strings.TrimSpace(line)
		default:
			name = line
		}
	}
	return accepted, lines.Err()
}

// Tries the faults in their order until enough were built, some at the same time. It stops when it is interrupted.
func (b *bench) tryAll(all []mutant, count, jobs int) <-chan result {
	results := make(chan result)
	interrupted := make(chan os.Signal, 1)
	signal.Notify(interrupted, os.Interrupt)
	var mutex sync.Mutex // guards next and built
	next, built := 0, 0
	take := func() (mutant, bool) {
		mutex.Lock()
		defer mutex.Unlock()
		select {
		case <-interrupted:
			next = len(all)
		default:
		}
		if next >= len(all) || built >= count {
			return mutant{}, false
		}
		next++
		built++
		return all[next-1], true
	}
	var working sync.WaitGroup
	for range jobs {
		working.Go(func() {
			for m, ok := take(); ok; m, ok = take() {
				if noticed, wasBuilt := b.try(m); wasBuilt {
					results <- result{m, noticed}
				} else {
					mutex.Lock()
					built--
					mutex.Unlock()
				}
			}
		})
	}
	go func() {
		working.Wait()
		close(results)
	}()
	return results
}
