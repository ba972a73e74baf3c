package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"hellebore/demo"
)

// TestALeakBetweenPartnersIsMended walks through a router that serves two partners: what
// crosses between its instances and what stays, the leak found, asked about, mended and
// proven, and a network that a range stands for already.
func TestALeakBetweenPartnersIsMended(t *testing.T) {
	s := start(t)
	text := demo.Text("ferry-and-mail")
	id := s.lab(t, text)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
		until(`document.querySelector('[data-device="junction"] .bays')?.innerText.replace(/\s+/g, " ") === "ferry mail"`),
		sees("kiosk reaches pier: kiosk, depot, junction, steamer, pier"), sees("0 of 3 done"))

	// An instance is a column beside its router; a route says where it began.
	do(t, tab, key("r"), sees("junction/ferry"), sees("junction/mail"), sees("from ferry, tag 72"),
		button("What crosses"), sees("2 of 6 routes cross"), sees("no statement of from-ferry decides"),
		sees("it began in junction: a route is not taken back"), sees("it came through junction"))

	// What is not let through stays, and why; the leak, with its way.
	do(t, tab, panel("y"), chromedp.Click(chromedp.CSS(`aside input`)), paste("why 10.73.0.0/16 on junction"), chromedp.KeyEvent("\r"),
		sees("10.73.0.0/16 is in junction/ferry; junction does not take it: no statement of from-ferry decides, and its end rejects"))
	do(t, tab, button("close"), bar("junction/mail 10.72.4.0/22"), key("m"), mapReady(), sees("How does junction/mail reach 10.72.4.0/22?"),
		sees("junction/mail takes it from junction: statement chosen of to-mail accepts it"), sees("junction takes it from junction/ferry"))
	do(t, tab, key("k"), sees("the partners are apart"), sees("sent to 10.70.0.2: AS path 64500"))

	// Mended, and proven before and after.
	mended := strings.Replace(text, "  10.20.2.0/24\n  10.72.0.0/16 length 20..24\n", "  10.20.2.0/24\n", 1)
	do(t, tab, bar("all everything"), key("t"), replaceText(mended), sees("Applying changes"), button("Preview"),
		within("preview", "junction/mail"), within("preview", "10.72.4.0/22"), until(able("Apply")), button("Apply"), sees("Matches the running network"),
		key("r"), seesNot("it came through junction"), button("Brief"), sees("2 of 3 done"))

	// A network that the partner adds is known at once: the range stands for it.
	do(t, tab, bar("steamer static 10.72.16.0/22 blackhole"), sees("Draft"), until(able("Apply")), button("Apply"),
		bar("depot 10.72.16.0/22"), key("r"), sees("external 2, tag 72"), bar("all everything"), sees("3 of 3 done"))

	// Its desk says in which instance a port and a session are, and resets that one.
	do(t, tab, bar("junction everything"), key("j"), sees("in ferry"), sees("in mail"),
		script(`[...document.querySelectorAll('section[aria-label="Neighbours"] tr')].find((r) => r.innerText.includes("steamer")).querySelector("button").click()`),
		sees("reset 10.70.0.2 on junction/ferry"))

	// Probes and actions from an instance.
	do(t, tab, bar("ping junction/ferry 10.72.4.10"), sees("all "), bar("reset all on junction/ferry"), sees("reset all on junction/ferry"))
}
