package e2e

import (
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

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// choose presses one of several in a row of choices.
func choose(text string) step {
	return chromedp.Click(chromedp.Search(fmt.Sprintf(`(//main//button[@aria-pressed and normalize-space(.)=%q])[1]`, text)))
}

// within waits until a part of the page shows a text.
func within(id, text string) step {
	return until(fmt.Sprintf(`document.querySelector('[data-testid=%q]')?.innerText.includes(%s) === true`, id, quoted(text)))
}

// write puts a text into a field.
func write(label, text string) step {
	return chromedp.Steps(script(fmt.Sprintf(`document.querySelector('[aria-label=%q]').focus(); document.activeElement.select?.()`, label)), paste(text))
}

// findInEditor puts the cursor behind a line's text, going down line by line.
func findInEditor(line string) step {
	return script(fmt.Sprintf(`(() => {
		for (const l of document.querySelectorAll(".cm-line")) {
			if (l.textContent !== %s) continue;
			const r = document.createRange();
			r.selectNodeContents(l);
			r.collapse(false);
			getSelection().removeAllRanges();
			getSelection().addRange(r);
		}
	})()`, quoted(line)))
}

// TestALeakIsSeenBeforeItHappens is a change with confidence: a filter that is too
// wide is seen in the preview, mended, applied, compared and taken back; then one
// that does harm takes itself back.
func TestALeakIsSeenBeforeItHappens(t *testing.T) {
	s := start(t)
	text := demo.Text("tarn-valley")
	id := s.lab(t, text)
	wider := strings.Replace(text, "prefix-set tramway-prefixes\n  10.64.8.0/22\n", "prefix-set tramway-prefixes\n  10.64.8.0/21 length 22\n", 1)
	leak := strings.Replace(wider, "    where policy ours-and-customers\n    prepend", "    prepend", 1)
	require.NotEqual(t, text, wider)
	require.NotEqual(t, wider, leak)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
		sees("Let the tramway's 10.64.12.0/22 in"), sees("2 of 3 done"))

	// The draft leaks: the preview says so, and nothing has happened.
	do(t, tab, key("t"), replaceText(leak), sees("Applying changes"), button("Preview"),
		within("preview", "quarry sends gannet 3 more prefixes: 10.96.32.0/20, 198.51.100.0/24 and 10.64.12.0/22"),
		within("preview", "1 check would fail"), within("preview", "no carrier receives what the other sent"), sees("Draft"))
	var state struct{ Actions []json.RawMessage }
	s.call(t, "GET", "/api/labs/"+id, nil, &state)
	require.Len(t, state.Actions, 1)

	// It is kept by the server: a reload in a new tab finds it.
	require.Eventually(t, func() bool {
		var drafts []struct{ Text string }
		s.call(t, "GET", "/api/labs/"+id+"/drafts", nil, &drafts)
		return len(drafts) == 1 && drafts[0].Text == leak
	}, 10*time.Second, 50*time.Millisecond)
	other := page(t)
	do(t, other, chromedp.Navigate(s.url+"/lab/"+id+"/text"), sees("Draft"), sees("Applying changes"))

	// Mended, and previewed again.
	do(t, tab, replaceText(wider), choose("Preview"), sees("The draft has changed since"),
		chromedp.Click(chromedp.Search(`//button[normalize-space(.)="Preview" and not(@aria-pressed)]`)),
		within("preview", "All 5 checks pass"), within("preview", "quarry sends gannet 1 more prefix: 10.64.12.0/22"))
	do(t, tab, script(`document.querySelector('input[placeholder="what this change is for"]').focus()`), paste("the second tram network"),
		seesNot("The draft has changed since"), button("Apply"), sees("Matches the running network"))

	// Compared: only what is different, in every view.
	do(t, tab, key("w"), bar("before-2..now"), sees("Only what is different is shown"), sees("another AS"), within("unchanged", "devices unchanged"),
		key("n"), sees("Nothing is different here"), key("r"), sees("10.64.12.0/22"), seesNot("198.51.100.0/24\nfrom"),
		key("t"), within("by-meaning", "10.64.8.0/21"), key("m"), mapReady(), sees("after: the same path"), button("As rows"), sees("Nothing is different here"))
	do(t, tab, key("k"), sees("it failed before"), sees("the carriers know the second tram network"), within("unchanged", "4 of 5 checks as before"),
		key("b"), within("by-meaning", "prefix-set tramway-prefixes"), key("l"), within("unchanged", "1 of 2 actions lie before or after"))
	do(t, tab, bar("now"), key("l"), sees("the second tram network"))

	// Taken back, by the revision before.
	do(t, tab, key("t"), choose("Revisions"), within("revision", "the second tram network"), chromedp.Click(chromedp.Search(`//button[normalize-space(.)="go back to it" and not(@disabled)]`)), sees("Draft"),
		sees(`check "the carriers know the second tram network" fails`), button("Apply"), sees("Apply it all the same?"), // it would do harm
		button("Apply all the same"), sees("Matches the running network"), choose("Revisions"), sees("back to revision 1"))
	var now struct{ Text string }
	s.call(t, "GET", "/api/labs/"+id, nil, &now)
	require.Equal(t, text, now.Text)

	// A change that breaks a flow takes itself back.
	broken := strings.Replace(text, "link terminus.lan kiosk\n", "", 1)
	do(t, tab, choose("Problems"), replaceText(broken), sees("Applying changes"), choose("Preview"),
		chromedp.Click(chromedp.Search(`//label[contains(., "take it back automatically")]`)),
		chromedp.Click(chromedp.Search(`//button[normalize-space(.)="Preview" and not(@aria-pressed)]`)),
		within("preview", "It would be taken back automatically: flow kiosk-tickets no longer arrives"),
		until(able("Apply")), button("Apply"), sees("Taken back automatically"), key("l"), sees("Taken back automatically: flow kiosk-tickets"))
	s.call(t, "GET", "/api/labs/"+id, nil, &now)
	require.Equal(t, text, now.Text)
}

// TestAnOvertakenPreviewIsShownAgain previews in one browser while another acts.
func TestAnOvertakenPreviewIsShownAgain(t *testing.T) {
	s := start(t)
	text := demo.Text("tarn-valley")
	id := s.lab(t, text)
	tab := page(t)
	draft := strings.Replace(text, "  port e1 10.0.1.1/30 like rail\n", "  port e1 10.0.1.1/30 like rail\n    ospf\n      cost 77\n", 1)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), replaceText(draft), sees("Applying changes"),
		button("Preview"), within("preview", "moved to another path"))
	require.Equal(t, http.StatusOK, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut quarry.up"}, nil))
	do(t, tab, sees("the lab has moved on since the preview was made (cut quarry.up)"), sees("Draft"),
		button("Apply"), sees("Matches the running network"))
}

// TestEditingForPeopleWhoType writes one statement to many ports, copies a router,
// renames, fixes, and edits two routers side by side.
func TestEditingForPeopleWhoType(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	tab := page(t)
	kept := func(has string) {
		t.Helper()
		require.Eventually(t, func() bool {
			var drafts []struct{ Text string }
			s.call(t, "GET", "/api/labs/"+id+"/drafts", nil, &drafts)
			return len(drafts) == 1 && strings.Contains(drafts[0].Text, has)
		}, 10*time.Second, 50*time.Millisecond, "the draft has no %q", has)
	}
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), inEditor(), choose("Outline"), sees("router viaduct"),
		write("Filter the outline", ".e"), sees("mark "), chromedp.Click(chromedp.Search(`//button[starts-with(normalize-space(.), "mark ")]`)),
		write("Statement for all that are marked", "cost 33"), button("Write it to all"))
	kept("cost 33")
	do(t, tab, button("none"), write("Filter the outline", "viaduct"),
		chromedp.Click(chromedp.Search(`//div[@data-testid="block"][contains(., "viaduct")]//button[normalize-space(.)="copy"]`)),
		sees("A copy of viaduct with"), button("Copy"))
	kept("router viaduct-2")
	do(t, tab, write("Filter the outline", " "), chromedp.Click(chromedp.CSS(`[aria-label="Mark viaduct"]`)), chromedp.Click(chromedp.CSS(`[aria-label="Mark summit"]`)),
		button("Side by side"), sees("viaduct, summit side by side"), until(`document.querySelectorAll(".cm-content").length === 2`),
		button("Whole text"), until(`document.querySelectorAll(".cm-content").length === 1`))

	// Where a router is named.
	do(t, tab, write("Filter the outline", "summit"), chromedp.Click(chromedp.Search(`//div[@data-testid="block"][contains(., "router")]//button[normalize-space(.)="uses"]`)),
		within("name", "device summit"), within("name", "link "), chromedp.Click(chromedp.Search(`//div[@data-testid="name"]//button[normalize-space(.)="close"]`)))

	// A mistyped word is mended by a click, a name changed everywhere by F2.
	do(t, tab, choose("Problems"), inEditor(), typeAtEnd("\nrouter mill\n  prot e1 10.9.0.1/30\n"), sees("did you mean port?"), button("Fix: write port"), seesNot("did you mean port?"))
	kept("  port e1 10.9.0.1/30")
	do(t, tab, inEditor(), chromedp.KeyEvent(kb.End, chromedp.KeyModifiers(chromedp.ModifierCtrl)),
		findInEditor("router mill"), chromedp.KeyEvent(kb.F2), within("name", "device mill"), write("New name", "sawmill"), chromedp.KeyEvent("\r"))
	kept("router sawmill")
}

// TestWhyIsAnsweredWithProof asks by typing and from the focus, and goes to what
// proves the answer.
func TestWhyIsAnsweredWithProof(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("tarn-valley"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/paths?who=quarry&to=198.51.100.0/24"), sees("received, and what became of it"),
		panel("y"), sees("why is 198.51.100.0/24 sent to gannet by quarry, or not"), button("why is 198.51.100.0/24 sent to gannet by quarry, or not"),
		within("answer", "198.51.100.0/24 is not sent to gannet by quarry"), within("answer", "line "),
		chromedp.Click(chromedp.Search(`(//div[@data-testid="answer"]//button[starts-with(normalize-space(.), "line")])[1]`)), until(`location.pathname.endsWith("/text")`))
	do(t, tab, key("m"), mapReady(), panel("y"), panel("y"), write("Question", "what breaks without viaduct.up"), chromedp.KeyEvent("\r"), within("answer", "flow timetable is out for"),
		bar("all everything"), write("Question", "why the moon"), chromedp.KeyEvent("\r"), sees("ask for example"))
	do(t, tab, bar("cut viaduct.up"), sees("is running"), seesNot("is running"))
	do(t, tab, write("Question", "why is viaduct - skylark not up"), chromedp.KeyEvent("\r"), within("answer", "BGP"), within("answer", "the moment,"),
		chromedp.Click(chromedp.Search(`//div[@data-testid="answer"]//button[starts-with(normalize-space(.), "the moment")][1]`)), sees("This is the past"))
}

// TestMomentsAreNamedAndBundlesReplayed names a moment, compares with it, and
// gives the lab to a colleague as a bundle.
func TestMomentsAreNamedAndBundlesReplayed(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("tarn-valley"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/timeline"), within("moments", "none has a name yet"),
		button("Name this moment"), write("Name of the moment", "calm"), chromedp.KeyEvent("\r"), within("moments", "calm"),
		bar("cut viaduct.up"), sees("cut viaduct.up, "), within("moments", "compare"),
		chromedp.Click(chromedp.Search(`//div[@data-testid="moments"]//button[normalize-space(.)="compare"]`)), sees("Only what is different is shown: from calm to now"),
		key("n"), sees("session"), sees("an external peer has to be on a network"), key("g"), sees("messages"),
		bar("calm"), sees("This is the past: calm"), key("n"), seesNot("not up"))
	answer, err := http.Get(s.url + "/api/labs/" + id + "/comparison/md?before=calm&after=now")
	require.NoError(t, err)
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	require.Contains(t, string(b), "# calm to now\n\n- flows timetable and trams take another path\n")

	answer, err = http.Get(s.url + "/api/labs/" + id + "/bundle")
	require.NoError(t, err)
	bundle := filepath.Join(t.TempDir(), "railway.zip")
	b, err = io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	require.NoError(t, os.WriteFile(bundle, b, 0o644))
	do(t, tab, chromedp.Navigate(s.url+"/"), sees("Open a lab text or a bundle"),
		chromedp.SetUploadFiles(chromedp.CSS(`input[type="file"]`), []string{bundle}), mapReady(), sees("cut viaduct.up, "))
	out, err := exec.Command(binary, "compare", bundle+"@calm", bundle+"@now").CombinedOutput()
	var failed *exec.ExitError
	require.ErrorAs(t, err, &failed, "they are different")
	require.Equal(t, 1, failed.ExitCode())
	require.Contains(t, string(out), "flows timetable and trams take another path")
}

// TestTheWrongOrderShowsItsDamage previews the same change at once and router by
// router.
func TestTheWrongOrderShowsItsDamage(t *testing.T) {
	s := start(t)
	text := strings.Replace(demo.Text("triangle-with-ospf"), "    ospf area 0\n", "    ospf area 0\n      dead-interval 8s\n", 2)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	tab := page(t)
	preview := chromedp.Click(chromedp.Search(`//button[normalize-space(.)="Preview" and not(@aria-pressed)]`))
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), replaceText(text), sees("Applying changes"), choose("Preview"), preview,
		until(`document.querySelector('[data-testid="preview"]') !== null`))
	both := strings.ReplaceAll(demo.Text("triangle-with-ospf"), "    ospf area 0\n", "    ospf area 0\n      hello-interval 2s\n")
	do(t, tab, replaceText(both), sees("one router after the other"), chromedp.Click(chromedp.Search(`//label[contains(., "one router after the other")]`)),
		sees("pause between them"), preview, within("preview", "3 steps"), within("preview", "stage 2 of 3"), within("preview", "meanwhile"),
		button("Apply"), sees("Matches the running network"), key("l"), sees("(stage 3 of 3: "))
}

// TestAPolicyChangesRouterByRouter stages a change of a policy of the lab that the policies
// of two routers ask: the first has the new one of its own until the lab has it.
func TestAPolicyChangesRouterByRouter(t *testing.T) {
	s := start(t)
	text := demo.Text("two-carriers")
	id := s.lab(t, text)
	draft := strings.Replace(text, "  statement customers\n    where prefix in tramway-prefixes\n", "  statement customers\n    where prefix in tramway-prefixes\n    set med 7\n", 1)
	require.NotEqual(t, text, draft)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), replaceText(draft),
		choose("Preview"), sees("one router after the other"), chromedp.Click(chromedp.Search(`//label[contains(., "one router after the other")]`)),
		sees("pause between them"), chromedp.Click(chromedp.Search(`//button[normalize-space(.)="Preview" and not(@aria-pressed)]`)),
		within("preview", "2 steps"), within("preview", "stage 2 of 2"), button("Apply"), sees("Matches the running network"))
	owners := func(moment string) []string {
		var policies []struct{ Name, Device string }
		s.call(t, "GET", "/api/labs/"+id+"/policies?at="+moment, nil, &policies)
		var out []string
		for _, p := range policies {
			if p.Name == "ours-and-customers" {
				out = append(out, p.Device)
			}
		}
		return out
	}
	require.Equal(t, []string{""}, owners("before-2"))
	require.Equal(t, []string{"", "viaduct"}, owners("before-3"))
	require.Equal(t, []string{""}, owners("now"))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/policies?when=before-3"), until(`[...document.querySelectorAll("option")].some(o => o.text === "ours-and-customers of viaduct")`),
		script(`(() => {
			const s = document.querySelector("select");
			s.value = "ours-and-customers of viaduct";
			s.dispatchEvent(new Event("change", { bubbles: true }));
		})()`), until(`document.querySelector('[aria-label="The policy"]').value.includes("set med 7")`))
}

// TestWhatASilenceWaitedFor reads off what a convergence waited for, and has the lab try
// what would shorten it: the edit goes into the draft, and the same failure takes less.
func TestWhatASilenceWaitedFor(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "silence viaduct.e2"}, nil)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/timeline"),
		within("critical-path", "no hello is heard"), within("critical-path", "dead-interval 40s"), within("critical-path", "the SPF computation is held back"),
		button("What would shorten it?"), within("shorter", "send hellos every 1s"), within("shorter", "packets a second more"),
		script(`document.querySelector('[data-testid="shorter"] [data-testid="fixes"] button').click()`), sees("Draft:"), button("Apply"), sees("quarry.e1 ospf hello-interval: 10s -> 1s"))
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "mend viaduct.e2"}, nil)
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "silence viaduct.e2"}, nil)
	var waited struct{ Path struct{ Took float64 } }
	s.call(t, "GET", "/api/labs/"+id+"/critical-path?seq=5", nil, &waited)
	require.Greater(t, waited.Path.Took, 1.0)
	require.Less(t, waited.Path.Took, 5.0)
	r, err := http.Get(s.url + "/api/labs/" + id + "/actions/5/critical-path/csv")
	require.NoError(t, err)
	body, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	require.Contains(t, string(body), "dead-interval 4s")
}
