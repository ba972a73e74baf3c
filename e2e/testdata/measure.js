// Measures all text that can be seen: its size on the screen, what cuts it off, and what it
// overlaps. Returns sentences, none if the page is as it should be.
(() => {
  const found = [];
  const seen = [];
  const round = (r) => `${Math.round(r.x)},${Math.round(r.y)} ${Math.round(r.width)}x${Math.round(r.height)}`;
  // How much larger than it says an element is drawn: the map is zoomed.
  const scaleOf = (e) => {
    const map = e.closest('.react-flow__viewport');
    if (map) return new DOMMatrix(getComputedStyle(map).transform).a;
    return e instanceof SVGElement ? (e.getScreenCTM()?.a ?? 1) : 1;
  };
  const clips = (style) => [style.overflowX, style.overflowY].some((o) => o === 'hidden' || o === 'clip');
  const scrolls = (style) => [style.overflowX, style.overflowY].some((o) => o === 'auto' || o === 'scroll');
  // Whether something with a ground of its own lies above an element.
  const covers = (top, e) => {
    for (let a = top; a && !a.contains(e); a = a.parentElement) {
      const ground = getComputedStyle(a).backgroundColor;
      if (ground !== 'transparent' && !/, 0\)$/.test(ground)) return !e.contains(a);
    }
    return false;
  };
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const words = node.textContent.trim();
    const e = node.parentElement;
    if (!words || !e || !e.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
    if (e.closest('script, style, option, [aria-hidden="true"].visually-hidden')) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    // Half of the line height is not text.
    const rects = [...range.getClientRects()].filter((r) => r.width > 1 && r.height > 1);
    if (rects.length === 0) continue;
    const style = getComputedStyle(e);
    const size = parseFloat(style.fontSize) * scaleOf(e);
    // What clips it, and whether it is scrolled out of sight.
    let shown = { left: 0, top: 0, right: innerWidth, bottom: innerHeight };
    let cut = '';
    let scrolled = false; // what is above a part that scrolls does not cut it off
    for (let a = e; a && a !== document.body; a = a.parentElement) {
      const s = getComputedStyle(a);
      const box = a.getBoundingClientRect();
      if (s.position === 'absolute' && box.width <= 1 && box.height <= 1) shown = null; // for screen readers
      if (!shown) break;
      if (scrolls(s) || clips(s)) {
        if (!scrolled && clips(s) && !scrolls(s) && s.textOverflow !== 'ellipsis' && s.display !== 'inline' && !a.closest('.react-flow')) {
          const r = rects[0];
          if (r.left < box.left - 1.5 || r.right > box.right + 1.5 || r.bottom > box.bottom + r.height * 0.4) cut = `${a.tagName} ${round(box)}`;
        }
        scrolled ||= scrolls(s);
        shown = {
          left: Math.max(shown.left, box.left),
          top: Math.max(shown.top, box.top),
          right: Math.min(shown.right, box.right),
          bottom: Math.min(shown.bottom, box.bottom),
        };
      }
    }
    if (!shown) continue;
    const visible = rects.filter(
      (r) => r.left >= shown.left - 1 && r.right <= shown.right + 1 && r.top >= shown.top - 1 && r.bottom <= shown.bottom + 1,
    );
    if (cut) found.push(`"${words.slice(0, 40)}" is cut off by ${cut}`);
    if (visible.length === 0) continue;
    // What lies above it belongs to another layer: a panel, a menu.
    const r = visible[0];
    const top = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2);
    if (covers(top, e)) continue;
    if (size < 10.99) found.push(`"${words.slice(0, 40)}" is ${size.toFixed(1)} px high at ${round(r)}`);
    seen.push({ words, e, rects: visible });
  }
  const inset = (r) => ({ left: r.left + 1, right: r.right - 1, top: r.top + r.height * 0.2, bottom: r.bottom - r.height * 0.2 });
  for (let i = 0; i < seen.length; i++) {
    for (let j = i + 1; j < seen.length; j++) {
      const [a, b] = [seen[i], seen[j]];
      if (a.e === b.e) continue;
      for (const p of a.rects.map(inset))
        for (const q of b.rects.map(inset)) {
          const w = Math.min(p.right, q.right) - Math.max(p.left, q.left);
          const h = Math.min(p.bottom, q.bottom) - Math.max(p.top, q.top);
          if (w > 2 && h > 2) found.push(`"${a.words.slice(0, 30)}" and "${b.words.slice(0, 30)}" overlap at ${Math.round(p.left)},${Math.round(p.top)}`);
        }
    }
  }
  const main = document.querySelector('main')?.getBoundingClientRect();
  if (main && innerWidth >= 1280 && main.width < 899) found.push(`the main view is ${Math.round(main.width)} px wide`);
  if (document.documentElement.scrollWidth > innerWidth) found.push(`the page is ${document.documentElement.scrollWidth} px wide, the window ${innerWidth}`);
  const moving = document.getAnimations().filter((a) => a.playState === 'running' && Number(a.effect?.getComputedTiming().duration) > 1);
  if (matchMedia('(prefers-reduced-motion: reduce)').matches && moving.length > 0)
    found.push(`${moving.length} animations run although motion is to be reduced: ${moving[0].animationName ?? moving[0].transitionProperty ?? ''} on ${moving[0].effect?.target?.className ?? ''}`);
  return JSON.stringify([...new Set(found)]);
})()
