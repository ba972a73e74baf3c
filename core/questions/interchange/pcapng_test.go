package interchange_test

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/interchange"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// played is a demo lab with everything on it done: cold start, a cut and a mend
// of its first link.
func played(t *testing.T, text string) *history.History {
	t.Helper()
	h := history.New()
	do := func(a history.Action) {
		s, err := h.Begin(a, 0)
		require.NoError(t, err)
		require.NoError(t, h.Run(s, nil))
	}
	do(history.Action{Kind: history.Apply, Text: text})
	if links := h.Lab().Links; len(links) > 0 {
		for _, verb := range []string{"cut ", "mend "} {
			a, err := history.ParseAction(verb + links[0].A.String())
			require.NoError(t, err)
			do(a)
		}
	}
	return h
}

// tshark reads a capture with every check on.
func tshark(t *testing.T, file string, args ...string) string {
	t.Helper()
	args = append([]string{"-r", file, "-n", "-o", "ip.check_checksum:TRUE", "-o", "ospf.display_expert_info_ospf:TRUE"}, args...)
	out, err := exec.Command("tshark", args...).Output()
	if err != nil && strings.Contains(err.Error(), "executable file not found") {
		t.Skip("tshark is not installed; scripts/install.sh test installs it")
	}
	if exit, ok := err.(*exec.ExitError); ok && strings.Contains(string(exit.Stderr), "preference") {
		// This version does not know the last preference.
		out, err = exec.Command("tshark", append(args[:5:5], args[7:]...)...).Output()
	}
	require.NoError(t, err)
	return string(out)
}

// complaint is what the analyser must not find: warnings and errors, malformed or
// cut packets, wrong checksums.
// That a connection is refused is no fault of a packet.
const complaint = "_ws.malformed or (_ws.expert.severity >= 6291456 and not tcp.flags.reset == 1) or ip.checksum.status == 0 or icmp.checksum.status == 0 or _ws.short"

// TestTheAnalyserWouldComplain spoils one byte of a Hello, and of an LSA.
func TestTheAnalyserWouldComplain(t *testing.T) {
	h := played(t, demo.Text("triangle-with-ospf"))
	w := h.Head()
	var b bytes.Buffer
	_, err := interchange.Pcapng(&b, h, w, 0, 2, history.Moment{}, h.Now(), nil)
	require.NoError(t, err)
	at := bytes.Index(b.Bytes(), []byte{2, 1, 0, 44}) // an OSPF Hello's version, type and length
	require.Positive(t, at)
	b.Bytes()[at+30]++
	file := filepath.Join(t.TempDir(), "spoilt.pcapng")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	require.Len(t, strings.Split(strings.TrimSpace(tshark(t, file, "-Y", complaint)), "\n"), 1)
}

// TestAnalyserReadsEveryPacketOfTheDemoLabs exports every link and segment of
// every demo lab, and has a packet analyser find nothing wrong in any packet.
func TestAnalyserReadsEveryPacketOfTheDemoLabs(t *testing.T) {
	kinds := map[string]int{}
	for _, l := range demo.Labs() {
		t.Run(l.Slug, func(t *testing.T) {
			h := played(t, l.Text)
			w := h.Head()
			total := 0
			// All media of a lab go into one file, to start the analyser once.
			file := filepath.Join(t.TempDir(), "all.pcapng")
			out, err := os.Create(file)
			require.NoError(t, err)
			for i := range w.Media() {
				m := &w.Media()[i]
				var b bytes.Buffer
				n, err := interchange.Pcapng(&b, h, w, m.Ends[0].Device, m.Ends[0].Port, history.Moment{}, h.Now(), nil)
				require.NoError(t, err)
				total += n
				_, err = out.Write(b.Bytes()) // a pcapng file may hold several sections
				require.NoError(t, err)
			}
			require.NoError(t, out.Close())
			// A connection that changes its way is only in part on any one link: TCP is
			// followed as a whole in TestTheAnalyserFollowsBGP.
			wrong := complaint
			if w.SeveralInstances() { // networks that nothing joins may use the same addresses
				wrong = "(" + complaint + ") and not arp.duplicate-address-detected"
			}
			complaints := tshark(t, file, "-o", "tcp.analyze_sequence_numbers:FALSE", "-o", "tcp.check_checksum:TRUE", "-Y", wrong)
			require.Empty(t, complaints)
			if total == 0 {
				return // nobody has said anything yet
			}
			lines := strings.Split(strings.TrimSuffix(tshark(t, file, "-T", "fields", "-e", "ospf.msg", "-e", "ospf.lsa"), "\n"), "\n")
			require.Len(t, lines, total, "it reads as many packets as were written")
			for _, line := range lines {
				kind, lsas, _ := strings.Cut(line, "\t")
				kinds["packet "+kind]++
				for x := range strings.SplitSeq(lsas, ",") {
					kinds["LSA "+x]++
				}
			}
		})
	}
	for _, k := range []string{"packet 1", "packet 2", "packet 3", "packet 4", "packet 5", "LSA 1", "LSA 2", "LSA 3", "LSA 4", "LSA 5", "LSA 7"} {
		require.NotZero(t, kinds[k], "the demo labs show no %s: %v", k, kinds)
	}
}

// TestACaptureHasItsFields holds what the analyser decodes of one link against
// what is configured.
func TestACaptureHasItsFields(t *testing.T) {
	h := played(t, demo.Text("triangle-with-ospf"))
	w := h.Head()
	dev := w.Find("viaduct")
	port, _ := dev.Port("e2")
	file := filepath.Join(t.TempDir(), "e2.pcapng")
	out, err := os.Create(file)
	require.NoError(t, err)
	n, err := interchange.Pcapng(out, h, w, dev.ID(), port, history.Moment{}, h.AfterStep(1), nil)
	require.NoError(t, err)
	require.NoError(t, out.Close())
	require.Greater(t, n, 10)
	var packets []struct {
		Source struct {
			Layers map[string][]string `json:"layers"`
		} `json:"_source"`
	}
	fields := []string{"frame.time_epoch", "frame.interface_name", "ip.src", "ip.dst", "ip.ttl", "ospf.srcrouter", "ospf.area_id", "ospf.hello.hello_interval",
		"ospf.hello.router_dead_interval", "ospf.hello.network_mask"}
	args := []string{"-T", "json", "-Y", "ospf.msg == 1"}
	for _, f := range fields {
		args = append(args, "-e", f)
	}
	require.NoError(t, json.Unmarshal([]byte(tshark(t, file, args...)), &packets))
	require.NotEmpty(t, packets)
	by := map[string]map[string][]string{}
	for _, p := range packets {
		l := p.Source.Layers
		by[l["frame.interface_name"][0]] = l
	}
	v := by["viaduct.e2"]
	delete(v, "frame.time_epoch")
	require.Equal(t, map[string][]string{"frame.interface_name": {"viaduct.e2"}, "ip.src": {"10.0.13.1"}, "ip.dst": {"224.0.0.5"}, "ip.ttl": {"1"},
		"ospf.srcrouter": {"10.255.0.1"}, "ospf.area_id": {"0.0.0.0"}, "ospf.hello.hello_interval": {"10"},
		"ospf.hello.router_dead_interval": {"40"}, "ospf.hello.network_mask": {"255.255.255.252"}}, v)
	require.Equal(t, []string{"10.0.13.2"}, by["quarry.e1"]["ip.src"])
}

// TestFramesOfAStretch asks for parts of the past: together they are the whole.
func TestFramesOfAStretch(t *testing.T) {
	h := played(t, demo.Text("triangle-with-ospf"))
	count := func(from, to history.Moment) (n int) {
		require.NoError(t, h.Frames(from.At, to.At, func(history.Frame) { n++ }, nil))
		return n
	}
	end := h.Now()
	all := count(history.Moment{}, end)
	for _, cut := range []history.Moment{{At: 1}, {At: 3e9}, h.AtTime(h.Steps()[1].Start), h.AtTime(h.Steps()[1].Start + 5e7), h.AtTime(end.At - 1)} {
		require.Equal(t, all, count(history.Moment{}, cut)+count(history.Moment{At: cut.At + 1}, end), "cut at %d", cut.At)
	}
}
