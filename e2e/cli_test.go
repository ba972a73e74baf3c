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

	"github.com/stretchr/testify/require"
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

func TestRunPrintsTheDocumentedJSON(t *testing.T) {
	code, out, _ := hellebore(t, "run", "../demo/triangle-with-ospf.lab", "--do", "cut viaduct.e2", "--do", "mend viaduct.e2", "--json")
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
	code, out, _ := hellebore(t, "run", "../demo/triangle-with-ospf.lab", "--do", "silence viaduct.e2", "--for", "5s", "--json")
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
		"a lab without any routing": {[]string{"run", "../demo/first-triangle.lab"}, 0, ""},
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
	code, out, _ := hellebore(t, "run", "../demo/planted-faults.lab")
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
