package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hellebore/demo"
)

// contextmenu asks for the menu of an element, as its button or the menu key does, once
// what was done before has had its effect.
func contextmenu(of string) step {
	return chromedp.Steps(atRest(), script(`(() => { const e = `+of+`; const b = e.getBoundingClientRect();
		e.dispatchEvent(new MouseEvent("contextmenu", {bubbles: true, cancelable: true, clientX: b.x + 5, clientY: b.y + 5})) })()`))
}

// entry chooses from the menu that is open.
func entry(label string) step {
	return chromedp.Steps(settled(), chromedp.Click(chromedp.Search(`//*[@role="menuitem"][starts-with(normalize-space(.), "`+label+`")]`)))
}

// settled waits until a menu is open and has found its place, which it does after it has opened.
func settled() step {
	return chromedp.Steps(until(`document.querySelector('[role="menu"]') !== null`), atRest())
}

// TestEveryThingHasItsMenu does on the map what can be done to a router, a link and a
// session, and on the desk to a port: from the menu of each.
func TestEveryThingHasItsMenu(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("two-carriers"))
	tab := page(t)
	card := func(name string) string { return `document.querySelector("[data-device=` + name + `]")` }
	do(t, tab, chromedp.EmulateViewport(1600, 900), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
		contextmenu(card("viaduct")), entry("Disable"), sees("disable viaduct"), until(card("viaduct")+`.innerText.includes("disabled")`),
		contextmenu(card("viaduct")), entry("Enable"), until(`!`+card("viaduct")+`.innerText.includes("disabled")`),
		contextmenu(card("viaduct")), entry("Reset its sessions"), sees("reset all on viaduct"))
	// The menu by keys alone: the card, its menu, an entry by its first letter.
	do(t, tab, script(card("viaduct")+`.closest(".react-flow__node").focus()`), contextmenu(`document.activeElement`), until(`document.activeElement?.closest("[role=menu]") != null`), settled(),
		chromedp.KeyEvent(kb.ArrowDown), until(`document.querySelector("[role=menuitem][data-highlighted]") !== null`), chromedp.KeyEvent("\r"), until(`location.pathname.endsWith("/desk")`), until(`document.querySelector("main h2")?.innerText === "viaduct"`))
	// A flow to here from what is in focus, and the probe from here.
	do(t, tab, key("m"), mapReady(), contextmenu(card("summit")), entry("Flow from viaduct to here"), sees("flow viaduct-summit"), button("Discard draft"),
		contextmenu(card("summit")), entry("Probe from here"), sees("Probe and trace"), until(`[...document.querySelectorAll("aside select, aside input")].some((e) => e.value === "summit")`))
	// A link is cut and mended.
	link := `[...document.querySelectorAll(".react-flow__edge-link")][0]`
	do(t, tab, contextmenu(link), entry("Cut"), sees("cut "), contextmenu(link), entry("Mend"), sees("mend "))
	// A port on the desk: what cannot be removed says why, and nothing is lost.
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/desk?who=viaduct"), inEditor(), sees("Ports"),
		contextmenu(`document.querySelector("section[aria-label=Ports] tr")`), entry("Remove"), sees("take "))
}
