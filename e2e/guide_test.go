package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// spoken are the ways in which a step of the guide says what to do, and what is seen then.
var spoken = []struct {
	form *regexp.Regexp
	do   func(g *guided, arg string) []step
}{
	{regexp.MustCompile(`Open a (new lab)`), func(g *guided, _ string) []step {
		return []step{chromedp.Navigate(g.s.url + "/"), button("New lab"), until(`location.pathname.endsWith("/text")`)}
	}},
	{regexp.MustCompile(`Open \*\*(.+?)\*\*`), func(g *guided, title string) []step {
		return []step{chromedp.Navigate(g.s.url + "/lab/" + g.s.lab(g.t, g.titles[title]) + "/map"), mapReady()}
	}},
	{regexp.MustCompile(`[Gg]o to \*\*(.+?)\*\*`), func(_ *guided, view string) []step {
		link := `[...document.querySelectorAll('nav[aria-label="Views"] a')].find((a) => a.innerText.startsWith(` + quoted(view) + `))`
		return []step{until(link + ` !== undefined`), script(link + `.click()`), until(link + `.getAttribute("aria-current") === "page"`)}
	}},
	{regexp.MustCompile("[Tt]ype `(.+?)`"), func(_ *guided, line string) []step {
		return []step{bar(line), until(`document.querySelector('input[role="combobox"]').value === ""`)}
	}},
	{regexp.MustCompile("Ask `(.+?)`"), func(_ *guided, question string) []step {
		field := `document.querySelector('input[aria-label="Question"]')`
		return []step{script(`void (` + field + ` ?? dispatchEvent(new KeyboardEvent("keydown", { key: "y" })))`), until(field + ` !== null`),
			write("Question", question), chromedp.KeyEvent("\r"), within("answer", "")}
	}},
	{regexp.MustCompile(`[Pp]ress \*\*Apply\*\*`), func(*guided, string) []step {
		return []step{until(able("Apply")), button("Apply"), seesNot("Draft: ")}
	}},
	{regexp.MustCompile(`[Pp]ress \*\*Play\*\*`), func(*guided, string) []step {
		return []step{until(able("Play")), atRest(), button("Play")} // news of the action may still come, and with it another bar
	}},
	{regexp.MustCompile(`[Pp]ress \*\*(.+?)\*\*`), func(_ *guided, label string) []step {
		return []step{until(able(label)), button(label)}
	}},
	{regexp.MustCompile("[Pp]ress `(.+?)`"), func(_ *guided, k string) []step {
		if letter, ok := strings.CutPrefix(k, "Ctrl-"); ok {
			return []step{key(strings.ToLower(letter), chromedp.KeyModifiers(chromedp.ModifierCtrl))}
		}
		return []step{key(k)}
	}},
	{regexp.MustCompile(`See “(.+?)”`), func(_ *guided, text string) []step { return []step{sees(text)} }},
}

// able says whether there is a button that can be pressed.
func able(label string) string {
	return `[...document.querySelectorAll("button")].some((b) => b.innerText.trim() === ` + quoted(label) + ` && !b.disabled)`
}

// guided is somebody who follows a page of the guide.
type guided struct {
	t      *testing.T
	s      *server
	titles map[string]string // texts of the demo labs by title
}

// steps reads what a numbered line of a page has one do, in order. A line without anything
// to do or to see is none.
func (g *guided) steps(line string) (out []step) {
	for line != "" {
		first, which := []int(nil), 0
		for i, w := range spoken {
			if at := w.form.FindStringSubmatchIndex(line); at != nil && (first == nil || at[0] < first[0]) {
				first, which = at, i
			}
		}
		if first == nil {
			return out
		}
		arg := ""
		if len(first) > 2 {
			arg = line[first[2]:first[3]]
		}
		out = append(out, spoken[which].do(g, arg)...)
		line = line[first[1]:]
	}
	return out
}

var (
	numbered = regexp.MustCompile(`(?m)^\d+\. .*(?:\n {3}.*)*`)
	picture  = regexp.MustCompile(`!\[.+?\]\((.+?)\)`)
)

// TestTheGuideHolds follows every page of the guide in the browser, step by step.
func TestTheGuideHolds(t *testing.T) {
	t.Parallel()
	pages, err := filepath.Glob("../docs/guide/*.md")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(pages), 14)
	s := start(t)
	titles := map[string]string{}
	labs, err := filepath.Glob("../demo/*.lab")
	require.NoError(t, err)
	for _, file := range labs {
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		titles[strings.Split(string(b), `"`)[1]] = string(b)
	}
	for _, file := range pages {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".md"), func(t *testing.T) {
			b, err := os.ReadFile(file)
			require.NoError(t, err)
			require.Less(t, strings.Count(string(b), "\n"), 45, "a page is short")
			for _, p := range picture.FindAllStringSubmatch(string(b), -1) {
				require.FileExists(t, filepath.Join("../docs/guide", p[1]))
			}
			g := &guided{t, s, titles}
			tab := page(t)
			do(t, tab, chromedp.EmulateViewport(1280, 800))
			lines := numbered.FindAllString(string(b), -1)
			require.GreaterOrEqual(t, len(lines), 5)
			for _, line := range lines {
				for _, m := range regexp.MustCompile(`Open \*\*(.+?)\*\*`).FindAllStringSubmatch(line, -1) {
					require.Contains(t, titles, m[1])
				}
				steps := g.steps(line)
				require.NotEmpty(t, steps, "nothing can be done about: %s", line)
				t.Log(line)
				do(t, tab, steps...)
			}
			do(t, tab, until(`document.querySelector('[role="alert"]') === null`))
		})
	}
}
