package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"

	"hellebore/demo"
)

// TestSessionsPathsAndPolicies walks through an outage of the primary carrier: the
// session falls, the backup takes over, and each answer is there to be read.
func TestSessionsPathsAndPolicies(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("two-carriers"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), sees("AS 64500"), sees("AS 64498"),
		sees("tickets reaches crane: tickets, summit, viaduct, skylark, harbour, crane"),
		// Both ends of a session in one row, and all there is to know of it.
		key("n"), sees("BGP sessions Established"), bar("viaduct/192.0.2.2"), sees("four-octet AS"), sees("expected in AS 64496"),
		bar("reset 192.0.2.2 on viaduct"), sees("2 times"), bar("all"),
		// Why is the other path not used, and what is not sent to the backup carrier?
		bar("198.51.100.0/25"), key("w"), sees("quarry uses the path from viaduct rather than that from gannet: local preference 200, not 80"),
		sees("no statement of to-gannet decides"), bar("quarry"), seesNot("harbour uses"), sees("not chosen"),
		// The primary carrier falls away.
		bar("all everything"), bar("cut viaduct.up"), key("m"), mapReady(),
		sees("tickets reaches crane: tickets, summit, quarry, gannet, harbour, crane"),
		key("n"), sees("the port towards the peer went down"),
		bar("mend viaduct.up"), sees("BGP sessions Established"),
		// The tables of a session, and marked rows as a prefix set.
		bar("viaduct/10.255.0.3"), key("w"), sees("Received from summit"), mark("10.64.8.0/22"), sees("prefix-set picked"),
		// The bench, with a draft.
		bar("all"), key("b"), sees("of 1 accepted"),
		script(`const t = document.querySelector('textarea[aria-label="The policy"]');
			Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(t, "policy from-skylark\n  statement primary\n    where as-path-length > 5\n    accept\n");
			t.dispatchEvent(new Event('input', {bubbles: true})); 0`),
		sees("come out otherwise with the draft"))
}

// TestFaultsOfBGP finds the planted faults by what the pages say.
func TestFaultsOfBGP(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("planted-sessions"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/neighbours"), sees("expects AS 64499"), sees("AS 64497"), sees("tramway has no peer 10.64.0.1"),
		sees("Add peer 10.64.0.1 as 64500 on tramway"),
		key("t"), sees("quarry originates 10.20.0.0/16, and its table has no route for exactly that"), sees("quarry injects 4 connected routes into BGP without a policy"),
		bar("summit 198.51.100.0/24"), key("w"), sees("no route leads to the next hop"))
}
