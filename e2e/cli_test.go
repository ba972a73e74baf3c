package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// hellebore runs a command to its end.
func hellebore(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	err := cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		code = exit.ExitCode()
	} else {
		require.NoError(t, err)
	}
	return code, o.String(), e.String()
}

// labFile is a demo lab as a file, without its brief: a task that is open would be a failed
// check.
func labFile(t *testing.T, slug string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), slug+".lab")
	require.NoError(t, os.WriteFile(file, []byte(untasked(t, slug)), 0o644))
	return file
}

// untasked is a demo's text before its brief.
func untasked(t testing.TB, slug string) string {
	text, _, _ := strings.Cut(demo.Text(slug), "\nbrief\n")
	return text
}

// TestManyRoutesArePrintedWhenAskedFor: of more routes than anybody reads there is only how many.
func TestManyRoutesArePrintedWhenAskedFor(t *testing.T) {
	file := filepath.Join(t.TempDir(), "grid.lab")
	require.NoError(t, os.WriteFile(file, []byte(testlabs.Grid(6, 6)), 0o644))
	code, out, _ := hellebore(t, "run", file)
	require.Zero(t, code)
	require.Regexp(t, `(?m)^r0 +2 connected, 58 ospf$`, out)
	require.Contains(t, out, "2160 in all: write --routes to print them")
	require.Less(t, strings.Count(out, "\n"), 150)
	code, all, _ := hellebore(t, "run", file, "--routes")
	require.Zero(t, code)
	require.Contains(t, all, "routes of r0\n")
	require.Greater(t, strings.Count(all, "\n"), 2160)
}

func TestRunPrintsTheDocumentedJSON(t *testing.T) {
	code, out, _ := hellebore(t, "run", labFile(t, "triangle-with-ospf"), "--do", "cut viaduct.e2", "--do", "mend viaduct.e2", "--json")
	require.Zero(t, code)
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.Equal(t, true, got["settled"])
	require.Greater(t, got["time"], 0.0)
	actions := got["actions"].([]any)
	require.Len(t, actions, 3)
	cut := actions[1].(map[string]any)
	require.Equal(t, "cut viaduct.e2", cut["action"])
	require.Greater(t, cut["convergence"], 0.0)
	routes := got["devices"].(map[string]any)["viaduct"].(map[string]any)["routes"].([]any)
	require.Len(t, routes, 8)
	for _, field := range []string{"prefix", "source", "preference", "metric", "metric2", "tag", "blackhole", "nextHops"} {
		require.Contains(t, routes[0], field)
	}
	n := got["neighbours"].([]any)[0].(map[string]any)
	require.Equal(t, "ospf", n["protocol"])
	require.Equal(t, true, n["up"])
	require.Equal(t, []any{}, n["reasons"])
	for _, field := range []string{"device", "port", "address", "routerId", "state"} {
		require.Contains(t, n["a"], field)
		require.Contains(t, n["b"], field)
	}
	flow := got["flows"].([]any)[0].(map[string]any)
	require.Equal(t, []any{"kiosk", "viaduct", "quarry", "summit", "booth"}, flow["path"])
	require.Equal(t, true, flow["arrives"])
	outages := flow["outages"].([]any)
	require.Len(t, outages, 1, "the cut; the first apply is no outage, and mending makes none")
	require.Contains(t, outages[0], "cause")
}

func TestRunForAWhileInsteadOfToRest(t *testing.T) {
	code, out, _ := hellebore(t, "run", labFile(t, "triangle-with-ospf"), "--do", "silence viaduct.e2", "--for", "5s", "--json")
	require.Zero(t, code)
	var got struct {
		Settled bool
		Actions []struct{ Convergence *float64 }
		Flows   []struct {
			Arrives bool
			Outages []struct{ To *float64 }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.False(t, got.Settled)
	require.Nil(t, got.Actions[1].Convergence, "the dead interval has not decided yet")
	require.False(t, got.Flows[0].Arrives)
	require.Nil(t, got.Flows[0].Outages[0].To)
}

func TestExitCodesAndMessages(t *testing.T) {
	bad := filepath.Join(t.TempDir(), "bad.lab")
	require.NoError(t, os.WriteFile(bad, []byte("router a\n  port e1 10.0.0.1/33\nruter b\n"), 0o644))
	for name, c := range map[string]struct {
		args []string
		code int
		errs string
	}{
		"a text with errors":        {[]string{"run", bad}, 2, bad + ":2:11: \"10.0.0.1/33\" is not an IPv4 address with its prefix length; write it as 192.0.2.1/24\n" + bad + ":3:1: unknown word \"ruter\" at the start of a line; did you mean router?\n"},
		"no such file":              {[]string{"run", "nowhere.lab"}, 2, "nowhere.lab: no such file or directory"},
		"an unknown action":         {[]string{"run", "../demo/first-triangle.lab", "--do", "sever viaduct.e1"}, 2, "\"sever\" is not an action"},
		"an action on nothing":      {[]string{"run", "../demo/first-triangle.lab", "--do", "cut viaduct.e9"}, 2, "viaduct has no port named e9"},
		"an unknown flag":           {[]string{"run", "--fast"}, 2, "unknown flag"},
		"a negative time":           {[]string{"run", "../demo/first-triangle.lab", "--for", "-3s"}, 2, "is in the past"},
		"checking a good text":      {[]string{"check", "../demo/first-triangle.lab"}, 0, ""},
		"checking a bad text":       {[]string{"check", bad}, 2, "cannot be applied"},
		"formatting a bad text":     {[]string{"fmt", bad}, 2, "unknown word"},
		"a lab without any routing": {[]string{"run", labFile(t, "first-triangle")}, 0, ""},
	} {
		t.Run(name, func(t *testing.T) {
			code, _, errs := hellebore(t, c.args...)
			require.Equal(t, c.code, code, errs)
			require.Contains(t, errs, c.errs)
		})
	}
}

func TestFormatWritesTheCanonicalForm(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.lab")
	require.NoError(t, os.WriteFile(file, []byte("router a port e1 10.0.0.1/30 ospf area 0 cost 5 # why\n"), 0o644))
	code, _, _ := hellebore(t, "fmt", "-w", file)
	require.Zero(t, code)
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, "router a\n  port e1 10.0.0.1/30\n    ospf area 0\n      cost 5  # why\n", string(b))
	code, out, _ := hellebore(t, "run", labFile(t, "planted-faults"))
	require.Zero(t, code)
	require.Contains(t, out, "the two ports are in different areas (0, 1)")
}

func TestPortInUseIsSaid(t *testing.T) {
	s := start(t)
	port := s.url[strings.LastIndex(s.url, ":")+1:]
	cmd := exec.Command(binary, "serve", "--port", port)
	cmd.Env = append(os.Environ(), "DATABASE_URL="+database.URL())
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "port "+port+" is in use; choose another with --port")
}

func TestCompareSaysWhatIsDifferent(t *testing.T) {
	const lab = "../demo/two-carriers.lab"
	code, out, _ := hellebore(t, "compare", lab, lab)
	require.Zero(t, code)
	require.Equal(t, "nothing is different\n", out)

	code, out, _ = hellebore(t, "compare", lab, lab, "--do", "cut viaduct.up")
	require.Equal(t, 1, code)
	require.Contains(t, out, "flows timetable and trams take another path\n")
	require.Contains(t, out, "AS 64500: 1 prefix moved from Skylark to Gannet")
	require.Contains(t, out, "before: tickets - summit - viaduct - skylark - harbour - crane")

	code, out, _ = hellebore(t, "compare", lab, lab, "--do", "cut viaduct.up", "--format", "json")
	require.Equal(t, 1, code)
	var c struct {
		Summary  []string
		Sections []struct{ Name string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &c))
	require.NotEmpty(t, c.Summary)
	require.Len(t, c.Sections, 8)
	for format, head := range map[string]string{"csv": "section,kind,device", "md": "# ../demo/two-carriers.lab to ../demo/two-carriers.lab\n"} {
		_, out, _ = hellebore(t, "compare", lab, lab, "--do", "cut viaduct.up", "--format", format)
		require.True(t, strings.HasPrefix(out, head), out[:80])
	}
	for _, wrong := range [][]string{{"compare", lab, lab, "--do", "cut viaduct.up", "--format", "xls"}, {"compare", lab + "@noon", lab}, {"compare", "none.lab", lab}, {"compare", "none.zip", lab}} {
		code, _, errs := hellebore(t, wrong...)
		require.Equal(t, 2, code)
		require.NotEmpty(t, errs)
	}
}

func TestWhyAnswersOnTheCommandLine(t *testing.T) {
	const lab = "../demo/two-carriers.lab"
	code, out, _ := hellebore(t, "why", lab, "why is 198.51.100.0/25 not sent to gannet by quarry")
	require.Zero(t, code)
	require.Contains(t, out, "198.51.100.0/25 is not sent to gannet by quarry: ")
	require.Contains(t, out, "statement no-transit of ours-and-customers rejects it (line ")
	code, out, _ = hellebore(t, "why", lab, "viaduct", "skylark", "--do", "cut viaduct.up", "--json")
	require.Zero(t, code)
	var a struct {
		Says  string
		Codes []string
	}
	require.NoError(t, json.Unmarshal([]byte(out), &a))
	require.Contains(t, a.Says, "BGP ")
	require.Contains(t, a.Codes, "peer-not-on-link")
	code, _, errs := hellebore(t, "why", lab, "is it tea time")
	require.Equal(t, 2, code)
	require.Contains(t, errs, "ask for example")
}

func TestPreviewAndChecksOnTheCommandLine(t *testing.T) {
	text, err := os.ReadFile("../demo/tarn-valley.lab")
	require.NoError(t, err)
	draft := filepath.Join(t.TempDir(), "draft.lab")
	leak := strings.Replace(string(text), "    where policy ours-and-customers\n    prepend", "    prepend", 1)
	require.NoError(t, os.WriteFile(draft, []byte(leak), 0o644))
	code, out, _ := hellebore(t, "preview", "../demo/tarn-valley.lab", draft)
	require.Equal(t, 1, code, "a check fails")
	require.Contains(t, out, "quarry sends gannet 2 more prefixes")
	require.Contains(t, out, "check \"no carrier receives what the other sent\": fails")
	code, out, _ = hellebore(t, "preview", "../demo/tarn-valley.lab", draft, "--guard")
	require.Equal(t, 1, code)
	require.Contains(t, out, `it would be taken back: check "no carrier receives what the other sent" fails`)

	junit := filepath.Join(t.TempDir(), "checks.xml")
	code, out, _ = hellebore(t, "run", "../demo/tarn-valley.lab", "--junit", junit)
	require.Equal(t, 1, code)
	require.Contains(t, out, "the carriers know the second tram network: fails")
	written, err := os.ReadFile(junit)
	require.NoError(t, err)
	require.Contains(t, string(written), `<testsuite name="../demo/tarn-valley.lab" tests="5" failures="1" errors="0">`)
}

func TestRunOfALabThatDoesNotSettle(t *testing.T) {
	code, out, errs := hellebore(t, "run", "../core/simulation/network/testdata/ospf/dup.lab")
	require.Equal(t, 3, code)
	require.Contains(t, out, "they have the same router ID")
	require.Contains(t, errs, "the lab does not settle")
}

func TestAWaitThatIsLeftIsNoLabThatDoesNotSettle(t *testing.T) {
	code, out, errs := hellebore(t, "run", "../demo/tarn-valley.lab", "--do", "wait 800000h")
	require.Equal(t, 3, code)
	require.Regexp(t, `^left at [0-9.]+ s\n`, out)
	require.Contains(t, errs, "a wait takes too much work and was left before its time was up")
	require.NotContains(t, errs, "does not settle")
}

func TestRunIsStoppedByAnInterrupt(t *testing.T) {
	large := filepath.Join(t.TempDir(), "large.lab")
	require.NoError(t, os.WriteFile(large, []byte(gridLab(45)), 0o600)) // settles after many seconds
	cmd := exec.Command(binary, "run", large)
	var errs bytes.Buffer
	cmd.Stderr = &errs
	require.NoError(t, cmd.Start())
	time.Sleep(time.Second)
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	require.Error(t, cmd.Wait())
	require.Equal(t, 3, cmd.ProcessState.ExitCode(), errs.String())
	require.Contains(t, errs.String(), "stopped before the lab settled")
}

func TestTextsOfAllKindsAreChecked(t *testing.T) {
	file := filepath.Join(t.TempDir(), "one.lab")
	for text, want := range map[string]string{"\uFEFFrouter a\rrouter b\r": "", "router a\nrouter a\n": "has 1 error", "router \x00\n": "a NUL character"} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		code, _, errs := hellebore(t, "run", file)
		require.Equal(t, want == "", code == 0)
		require.Contains(t, errs, want)
	}
}
