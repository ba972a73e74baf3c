// Package e2e drives the whole program as its users do: the real binary, a
// real PostgreSQL, and Debian's Chromium.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"hellebore/server/cluster"
)

var (
	binary   string
	database *cluster.Cluster
	browser  context.Context
)

func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "hellebore-e2e-")
	if err != nil {
		panic(err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	if err := os.Chmod(dir, 0o755); err != nil { // the database's user must get in
		panic(err)
	}
	binary = filepath.Join(dir, "hellebore")
	if out, err := exec.Command("go", "build", "-o", binary, "hellebore/cmd/hellebore").CombinedOutput(); err != nil {
		panic(string(out))
	}
	if database, err = cluster.Start(filepath.Join(dir, "db"), cluster.Options{Unsafe: true}); err != nil {
		panic(err)
	}
	defer func() { _ = database.Stop() }()
	options := append([]chromedp.ExecAllocatorOption{}, chromedp.DefaultExecAllocatorOptions[:]...)
	options = append(options,
		chromedp.UserDataDir(filepath.Join(dir, "browser")), chromedp.WindowSize(1280, 800),
		chromedp.Flag("headless", "new"), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-gpu", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("no-sandbox", os.Geteuid() == 0),
		chromedp.Flag("force-prefers-reduced-motion", true))
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	defer stop()
	var done context.CancelFunc
	browser, done = chromedp.NewContext(allocator)
	defer done()
	if err := chromedp.Do(browser); err != nil {
		panic(fmt.Sprintf("Chromium does not start (apt-get install chromium): %v", err))
	}
	return m.Run()
}

// server is a running program.
type server struct {
	cmd *exec.Cmd
	url string
	log bytes.Buffer
}

// start runs the program on a free port, against the test's database.
func start(t testing.TB, args ...string) *server {
	t.Helper()
	return launch(t, func(*exec.Cmd) {}, args...)
}

// launch is start, with what the process needs besides.
func launch(t testing.TB, with func(*exec.Cmd), args ...string) *server {
	t.Helper()
	s := &server{cmd: exec.Command(binary, append([]string{"serve", "--port", "0"}, args...)...)}
	with(s.cmd)
	s.cmd.Env = append(os.Environ(), "DATABASE_URL="+database.URL())
	s.cmd.Stderr = &s.log
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(s.kill)
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err, s.log.String())
	_, url, found := strings.Cut(strings.TrimSpace(line), "Hellebore is at ")
	require.True(t, found, line)
	s.url = url
	return s
}

// kill ends the program as the worst would: SIGKILL.
func (s *server) kill() {
	if s.cmd.ProcessState == nil {
		_ = s.cmd.Process.Kill()
		_ = s.cmd.Wait()
	}
}

// call does one request of the interface and decodes its answer.
func (s *server) call(t testing.TB, method, path string, body, into any) int {
	t.Helper()
	var in io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		require.NoError(t, err)
		in = bytes.NewReader(b)
	}
	r, err := http.NewRequest(method, s.url+path, in)
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	if into != nil {
		require.NoError(t, json.Unmarshal(b, into), string(b))
	}
	return answer.StatusCode
}

// file is what the interface gives to be saved.
func (s *server) file(t testing.TB, path string) string {
	t.Helper()
	answer, err := http.Get(s.url + path)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, answer.StatusCode, string(b))
	return string(b)
}

// lab makes a lab from a text.
func (s *server) lab(t testing.TB, text string) string {
	t.Helper()
	var row struct{ ID string }
	require.Equal(t, http.StatusCreated, s.call(t, "POST", "/api/labs", map[string]string{"text": text}, &row))
	// All tests share a database: no other test finds it by its name.
	t.Cleanup(func() {
		if r, err := http.NewRequest("DELETE", s.url+"/api/labs/"+row.ID, nil); err == nil {
			if answer, err := http.DefaultClient.Do(r); err == nil { // the server may be gone
				_ = answer.Body.Close()
			}
		}
	})
	return row.ID
}

// page opens a tab of its own, with a bound on the time of everything in it.
func page(t testing.TB) context.Context { return open(t) }

// stranger opens a tab as somebody else would: nothing that a browser keeps is
// there.
func stranger(t testing.TB) context.Context { return open(t, chromedp.WithNewBrowserContext()) }

func open(t testing.TB, options ...chromedp.ContextOption) context.Context {
	t.Helper()
	tab, closeTab := chromedp.NewContext(browser, options...)
	bounded, cancel := context.WithTimeout(tab, 4*time.Minute)
	t.Cleanup(func() { cancel(); closeTab() })
	watched(t, bounded)
	return bounded
}

// step is something done to a page.
type step = chromedp.Action[chromedp.Void]

func do(t testing.TB, ctx context.Context, steps ...step) {
	t.Helper()
	if err := chromedp.Do(ctx, steps...); err != nil {
		fresh, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		shown, _ := chromedp.Run(fresh, chromedp.Evaluate[string](`document.body.innerText`))
		require.NoError(t, err, "the page shows:\n%s", shown)
	}
}

// until waits until an expression is true.
func until(expression string) step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		poll := chromedp.Poll[bool](expression, chromedp.WithPollingInterval(50*time.Millisecond), chromedp.WithPollingTimeout(time.Minute))
		_, err := poll(ctx, t)
		// A page that another one takes the place of takes its scripts along.
		for tries := 0; tries < 3 && err != nil && strings.Contains(err.Error(), "context"); tries++ {
			_, err = poll(ctx, t)
		}
		if err != nil {
			err = fmt.Errorf("waiting until %s: %w", expression, err)
		}
		return chromedp.Void{}, err
	}
}

// script runs an expression for its effect.
func script(expression string) step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Evaluate[any](expression)(ctx, t)
		return chromedp.Void{}, err
	}
}

func quoted(s string) string { b, _ := json.Marshal(s); return string(b) }

// sees waits until the page shows a text; seesNot until it does not. A page that
// has just been gone to may have no body yet.
func sees(text string) step {
	return until(`document.body?.innerText.includes(` + quoted(text) + `) === true`)
}
func seesNot(text string) step {
	return until(`document.body?.innerText.includes(` + quoted(text) + `) === false`)
}

// button presses what has this text, once it can be pressed and stays where it is.
func button(text string) step {
	path := fmt.Sprintf(`//button[normalize-space(.)=%q]`, text)
	still := fmt.Sprintf(`(() => {
		const b = document.evaluate(%q, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE).singleNodeValue;
		const r = b?.getBoundingClientRect();
		const at = r && !b.disabled ? r.x + " " + r.y + " " + r.width : "";
		const was = window.buttonWas;
		window.buttonWas = at;
		return at !== "" && at === was;
	})()`, path)
	return chromedp.Steps(script(`window.buttonWas = ""`), until(still), chromedp.Click(chromedp.Search(path)))
}

// openRoute opens a cell of the routes. Rows move while their heights are being
// measured, so it is not done by the pointer.
func openRoute(cell string) step {
	q := fmt.Sprintf(`document.querySelector('button[data-cell="%s"]')`, cell)
	return chromedp.Steps(until(q+` !== null`), script(q+`.click()`))
}

// key presses a key outside of any field.
func key(k string, options ...chromedp.KeyOption) step {
	return chromedp.Steps(script(`document.activeElement?.blur?.()`), chromedp.KeyEvent(k, options...))
}

// panel presses the key of a panel that puts the cursor into a field: the driver would
// write the letter there.
func panel(k string) step {
	return script(fmt.Sprintf(`document.activeElement?.blur?.(); dispatchEvent(new KeyboardEvent("keydown", { key: %q }))`, k))
}

// bar types a line into the focus bar. The slash is only pressed: the driver
// would write it into the field that it puts the cursor in.
func bar(line string) step {
	return chromedp.Steps(script(`document.activeElement?.blur?.(); dispatchEvent(new KeyboardEvent("keydown", { key: "/" }))`),
		paste(line), chromedp.KeyEvent("\r"))
}

// paste writes text where the cursor is.
func paste(text string) step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, t, input.InsertText, input.InsertTextParams{Text: text})
		return chromedp.Void{}, err
	}
}

// inEditor puts the cursor into the editor. A long text has its middle far out of
// sight, so that is not done by the pointer.
func inEditor() step {
	return chromedp.Steps(chromedp.WaitVisible(chromedp.CSS(`.cm-content`)), script(`document.querySelector(".cm-content").focus()`))
}

// typeAtEnd writes at the end of the editor's text.
func typeAtEnd(text string) step {
	return chromedp.Steps(
		inEditor(),
		chromedp.KeyEvent(kb.End, chromedp.KeyModifiers(chromedp.ModifierCtrl)),
		paste(text))
}

// replaceText puts a text into the editor in place of all that is there.
func replaceText(text string) step {
	return chromedp.Steps(
		inEditor(),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)),
		paste(text))
}

// mapReady waits until the map has been laid out.
func mapReady() step { return until(`document.body?.dataset.map === "ready"`) }
