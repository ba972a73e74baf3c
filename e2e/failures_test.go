package e2e

import (
	"bytes"
	"errors"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"hellebore/demo"
)

// TestASinglePointOfFailureIsFoundAndMended: all failures are tried, a draft is held against them, applied, and tried again.
func TestASinglePointOfFailureIsFoundAndMended(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("one-bridge"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
		key("v"), sees("No failure has been tried yet"), sees("0 of 4 done"), button("Try all failures"), sees("37 failures tried"), sees("1 of 4 done"),
		within("single-points", `risk group "the bridge"`), within("single-points", "session of depot with north"))

	// By flow, for one kind, at what is in focus.
	do(t, tab, button("By flow"), until(`document.querySelector('[data-testid="matrix-row"]').innerText.includes("lost")`),
		bar("mine"), sees("Only failures at mine are shown"), until(`document.querySelectorAll('[data-testid="matrix-row"]').length === 7`),
		button("Show all"), seesNot("Only failures at"), button("List"))

	// The map shows the same.
	do(t, tab, key("m"), mapReady(), button("if it fails"), within("failure-legend", "lost for good"),
		until(`document.querySelector('[data-device="depot"]').title.includes("flows tickets and timetable are lost")`),
		until(`document.querySelector('[data-device="south"]').title.includes("out")`))

	// A third line, in a draft: what it would make better, and no worse.
	text := demo.Text("one-bridge")
	for _, x := range [][2]string{
		{"  port e2 10.0.2.1/30\n    ospf area 0\n", "  port e2 10.0.2.1/30\n    ospf area 0\n  port e3 10.0.6.1/30\n    ospf area 0\n"},
		{"  port e2 10.0.5.2/30\n    ospf area 0\n", "  port e2 10.0.5.2/30\n    ospf area 0\n  port e3 10.0.6.2/30\n    ospf area 0\n"},
		{"link north.up", "link depot.e3 mine.e3 delay 4ms\nlink north.up"},
	} {
		require.Contains(t, text, x[0])
		text = strings.Replace(text, x[0], x[1], 1)
	}
	do(t, tab, key("t"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), replaceText(text), sees("Applying changes"),
		key("v"), sees("with the draft applied to a copy"), button("Sweep again"),
		within("held", "No failure becomes worse"),
		until(`[...document.querySelectorAll('[data-testid="held-row"]')].some((r) => r.innerText.startsWith("better") && r.innerText.includes('risk group "the bridge"'))`),
		button("Apply"), seesNot("with the draft applied to a copy"), atRest(),
		button("Sweep again"), sees("39 failures tried"), within("single-points", "session of depot with north"),
		until(`!document.querySelector('[data-testid="single-points"]').innerText.includes("the bridge")`))

	// What is left is looked into, in a lab of its own.
	do(t, tab, chromedp.Click(chromedp.Search(`//button[starts-with(normalize-space(.), "session of depot with north")]`)),
		sees("Makes a lab in which it happens"), button("Look into it"), sees("disable 203.0.113.2 on depot"), sees("What it waited for"))
}

// TestSweepsStopAndFailInWords: a sweep that is stopped keeps what it has and goes on; one that cannot be carried out says why.
func TestSweepsStopAndFailInWords(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("valley-line"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/failures"),
		button("What to try"), button("in pairs"), button("Try all failures"), within("sweep-progress", " left"), button("Stop"), sees("stopped after"),
		sees("lose something for good"), button("Go on"), within("sweep-progress", " left"), button("Stop"), sees("stopped after"),
		button("Delete"), sees("No failure has been tried yet"))
	do(t, tab, write("or these alone", "cut nowhere.e1"), button("one at a time"), button("Try all failures"), sees("not tried: "), sees("nowhere"),
		write("or these alone", "jump viaduct.e1"), button("Sweep again"), sees("jump"),
		chromedp.Navigate(s.url+"/lab/"+s.lab(t, "lab \"Nothing\"\n")+"/failures"), sees("No routers yet"), sees("Nothing can fail here"))
}

// TestSomePairsAreTriedAndSomeFailuresAreArgued: failures alone come first, then the pairs that were chosen; what need not be tried says why.
func TestSomePairsAreTriedAndSomeFailuresAreArgued(t *testing.T) {
	s := start(t)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+s.lab(t, demo.Text("one-bridge"))+"/failures"),
		button("What to try"), button("in pairs"), write("at most so many pairs", "25"), button("Try all failures"), sees("failures and pairs tried"),
		sees(", then "), chromedp.Navigate(s.url+"/lab/"+s.lab(t, demo.Text("first-triangle"))+"/failures"), button("Try all failures"), sees("(by argument)"),
		chromedp.Click(chromedp.Search(`//tr[contains(., "(by argument)")]//button`)), sees("nothing is forwarded over it"))
}

// TestAWorkerDoesAServersSweeps: one that comes later, and while the server is gone.
func TestAWorkerDoesAServersSweeps(t *testing.T) {
	s := start(t, "--sweepers", "0")
	id := s.lab(t, demo.Text("valley-line"))
	type swept struct {
		ID, State    string
		Tried, Total int
	}
	var begun swept
	require.Equal(t, 201, s.call(t, "POST", "/api/labs/"+id+"/sweeps", map[string]any{"kinds": []string{"link", "router"}}, &begun))
	require.Equal(t, "preparing", begun.State)
	s.kill()
	worker := exec.Command(binary, "worker", "--database", database.URL(), "--slots", "1")
	var log bytes.Buffer
	worker.Stderr = &log
	require.NoError(t, worker.Start())
	defer func() {
		require.NoError(t, worker.Process.Signal(syscall.SIGTERM))
		require.NoError(t, worker.Wait(), log.String())
	}()
	s = start(t, "--sweepers", "0")
	require.Eventually(t, func() bool {
		var now []swept
		s.call(t, "GET", "/api/labs/"+id+"/sweeps", nil, &now)
		return len(now) == 1 && now[0].State == "done" && now[0].Tried == now[0].Total && now[0].Total > 60
	}, time.Minute, 100*time.Millisecond)
	var about struct {
		Workers []struct {
			Slots    int
			Failures int
		}
	}
	require.Eventually(t, func() bool {
		s.call(t, "GET", "/api/about", nil, &about)
		return slices.ContainsFunc(about.Workers, func(w struct{ Slots, Failures int }) bool { return w.Slots == 1 && w.Failures > 0 })
	}, time.Minute, 100*time.Millisecond)
}

// TestTheServersOwnWorkerComesAndGoesWithIt: it is a process of its own that runs when nothing else wants to, is started again when it
// dies, and ends with the server, even if that is killed.
func TestTheServersOwnWorkerComesAndGoesWithIt(t *testing.T) {
	s := start(t)
	children := func() (pids []int) {
		all, err := filepath.Glob("/proc/[0-9]*/stat")
		require.NoError(t, err)
		for _, path := range all {
			b, _ := os.ReadFile(path) // it may have ended just now
			_, rest, _ := strings.Cut(string(b), ") ")
			if f := strings.Fields(rest); len(f) > 38 && f[1] == strconv.Itoa(s.cmd.Process.Pid) && f[0] != "Z" {
				pid, err := strconv.Atoi(filepath.Base(filepath.Dir(path)))
				require.NoError(t, err)
				require.Equal(t, strconv.Itoa(unix.SCHED_IDLE), f[38], "the policy by which it is scheduled")
				pids = append(pids, pid)
			}
		}
		return pids
	}
	require.Eventually(t, func() bool { return len(children()) == 1 }, 10*time.Second, 20*time.Millisecond)
	first := children()[0]
	require.NoError(t, syscall.Kill(first, syscall.SIGKILL))
	require.Eventually(t, func() bool { now := children(); return len(now) == 1 && now[0] != first }, 10*time.Second, 20*time.Millisecond)
	ended := make(chan struct{})
	go func() { s.kill(); close(ended) }() // the worker writes to the log, too: that ends with both
	select {
	case <-ended:
	case <-time.After(10 * time.Second):
		require.Fail(t, "the worker outlives its server")
	}
	require.Contains(t, s.log.String(), "the worker of sweeps died, and is started again")
}

// TestCtrlCEndsTheServerAndItsWorkerQuietly sends it to both, as a terminal does.
func TestCtrlCEndsTheServerAndItsWorkerQuietly(t *testing.T) {
	s := launch(t, func(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} })
	page, err := http.Get(s.url + "/api/labs/" + s.lab(t, demo.Text("one-bridge")) + "/events") // is open, which the server waits for
	require.NoError(t, err)
	defer func() { _ = page.Body.Close() }()
	time.Sleep(time.Duration(rand.IntN(500)) * time.Millisecond) // the worker has just begun, or waits
	require.NoError(t, syscall.Kill(-s.cmd.Process.Pid, syscall.SIGINT))
	ended := make(chan error)
	go func() { ended <- s.cmd.Wait() }()
	select {
	case err := <-ended:
		require.NoError(t, err, s.log.String())
	case <-time.After(10 * time.Second):
		require.Fail(t, "it does not end")
	}
	require.NotContains(t, s.log.String(), "level=ERROR")
	require.NotContains(t, s.log.String(), "level=WARN")
}

// TestASweepOutlivesItsServers kills the server at random instants while it sweeps in pairs, and starts another: the files that are
// exported then are those of the command, to the byte.
func TestASweepOutlivesItsServers(t *testing.T) {
	t.Parallel()
	s := start(t)
	id := s.lab(t, demo.Text("one-bridge"))
	var sweep struct{ ID, State, Error string }
	require.Equal(t, 201, s.call(t, "POST", "/api/labs/"+id+"/sweeps", map[string]any{"depth": 2}, &sweep))
	for range 4 {
		time.Sleep(time.Duration(rand.IntN(1200)) * time.Millisecond)
		s.kill()
		s = start(t)
	}
	require.Eventually(t, func() bool {
		var all []struct{ ID, State, Error string }
		s.call(t, "GET", "/api/labs/"+id+"/sweeps", nil, &all)
		sweep = all[0]
		return sweep.State != "running" && sweep.State != "preparing"
	}, 2*time.Minute, 100*time.Millisecond)
	require.Equal(t, "done", sweep.State, sweep.Error)
	junit := filepath.Join(t.TempDir(), "sweep.xml")
	for format, flags := range map[string][]string{"csv": {"--format", "csv"}, "md": {"--format", "md", "--junit", junit}, "json": {"--json"}} {
		out, err := exec.Command(binary, append([]string{"sweep", labFile(t, "one-bridge"), "--depth", "2", "--top", "0"}, flags...)...).Output()
		if failed := (*exec.ExitError)(nil); !errors.As(err, &failed) || failed.ExitCode() != 1 { // a check fails after some
			require.NoError(t, err)
		}
		if format == "json" {
			require.JSONEq(t, string(out), s.file(t, "/api/labs/"+id+"/sweeps/"+sweep.ID+"/export/json"))
			continue
		}
		require.Equal(t, string(out), s.file(t, "/api/labs/"+id+"/sweeps/"+sweep.ID+"/export/"+format), format)
	}
	xml, err := os.ReadFile(junit)
	require.NoError(t, err)
	require.Equal(t, string(xml), s.file(t, "/api/labs/"+id+"/sweeps/"+sweep.ID+"/export/junit"))
}
