// Measures all text that can be seen: its size on the screen, what cuts it off, what it
// overlaps, and its contrast. Returns sentences, none if the page is as it should be.
(() => {
  const found = [];
  const seen = [];
  const round = (r) => `${Math.round(r.x)},${Math.round(r.y)} ${Math.round(r.width)}x${Math.round(r.height)}`;
  const short = (words) => `"${words.slice(0, 40)}"`;
  // How much larger than it says an element is drawn: the map is zoomed.
  const scaleOf = (e) => {
    const map = e.closest('.react-flow__viewport');
    if (map) return new DOMMatrix(getComputedStyle(map).transform).a;
    return e instanceof SVGElement ? (e.getScreenCTM()?.a ?? 1) : 1;
  };
  const clips = (style) => [style.overflowX, style.overflowY].some((o) => o === 'hidden' || o === 'clip');
  const scrolls = (style) => [style.overflowX, style.overflowY].some((o) => o === 'auto' || o === 'scroll');
  // Whether something with a ground of its own lies above an element.
  // A card above a label of the map is no layer of its own: it is found below.
  const covers = (top, e) => {
    const label = e.closest('.react-flow__viewport') && !e.closest('.react-flow__node');
    if (label && top?.closest('.react-flow__node')) return false;
    for (let a = top; a && !a.contains(e); a = a.parentElement) {
      const ground = getComputedStyle(a).backgroundColor;
      if (ground !== 'transparent' && !/, 0\)$/.test(ground)) return !e.contains(a);
    }
    return false;
  };

  // Colours as red, green and blue from 0 to 1, and how much they cover.
  const colourOf = (s) => {
    const n = s.match(/[\d.]+/g)?.map(Number) ?? [];
    const [r, g, b, a = 1] = s.startsWith('color(') ? n : [n[0] / 255, n[1] / 255, n[2] / 255, n[3]];
    return { r, g, b, a };
  };
  const over = (top, below) => ({
    r: top.r * top.a + below.r * (1 - top.a),
    g: top.g * top.a + below.g * (1 - top.a),
    b: top.b * top.a + below.b * (1 - top.a),
    a: 1,
  });
  // What of a drawing lies below a text of it, from the top down.
  const drawnBelow = (e) => {
    const drawing = e instanceof SVGElement && e.ownerSVGElement;
    if (!drawing) return [];
    const t = e.getBoundingClientRect();
    const middle = { x: t.x + t.width / 2, y: t.y + t.height / 2 };
    return [...drawing.querySelectorAll('rect, circle, ellipse, polygon, path')]
      .filter((shape) => {
        if (!(shape.compareDocumentPosition(e) & Node.DOCUMENT_POSITION_FOLLOWING)) return false;
        if (!shape.checkVisibility({ opacityProperty: true, visibilityProperty: true })) return false;
        const at = new DOMPoint(middle.x, middle.y).matrixTransform(shape.getScreenCTM().inverse());
        return shape.isPointInFill(at);
      })
      .map((shape) => {
        const s = getComputedStyle(shape);
        if (s.fill === 'none') return { r: 0, g: 0, b: 0, a: 0 };
        const c = colourOf(s.fill);
        c.a *= Number(s.fillOpacity);
        for (let a = shape; a && a !== drawing; a = a.parentElement) c.a *= Number(getComputedStyle(a).opacity);
        return c;
      })
      .filter((c) => c.a > 0)
      .reverse();
  };
  // The grounds that a text may lie on, of which the worst counts: a gradient has several.
  const groundsOf = (e) => {
    const layers = drawnBelow(e).map((c) => [c]);
    if (layers.some(([c]) => c.a === 1)) layers.length = layers.findIndex(([c]) => c.a === 1) + 1;
    for (let a = e; a && !layers.at(-1)?.every((c) => c.a === 1); a = a.parentElement) {
      const s = getComputedStyle(a);
      const stops = s.backgroundImage.match(/(?:rgba?|color)\([^)]*\)/g);
      if (stops) layers.push(stops.map(colourOf));
      const ground = colourOf(s.backgroundColor);
      if (ground.a > 0) layers.push([ground]);
    }
    return layers.reverse().reduce((below, layer) => below.flatMap((b) => layer.map((c) => over(c, b))), [{ r: 1, g: 1, b: 1, a: 1 }]);
  };
  const light = (c) => {
    const [r, g, b] = [c.r, c.g, c.b].map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4));
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const contrast = (a, b) => {
    const [hi, lo] = [light(a), light(b)].sort((x, y) => y - x);
    return (hi + 0.05) / (lo + 0.05);
  };
  // WCAG 2.2, 1.4.3; what cannot be used is exempt.
  const faint = (e, style, size) => {
    if (e.closest(':disabled, [aria-disabled="true"], [data-disabled]')) return 0;
    const ink = colourOf(e instanceof SVGElement ? style.fill : style.color);
    if ([ink.r, ink.g, ink.b].some(Number.isNaN)) return 0;
    for (let a = e; a; a = a.parentElement) ink.a *= Number(getComputedStyle(a).opacity);
    const wanted = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700) ? 3 : 4.5;
    const worst = Math.min(...groundsOf(e).map((g) => contrast(over(ink, g), g)));
    return worst < wanted - 0.005 ? worst : 0;
  };

  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const words = node.textContent.trim();
    const e = node.parentElement;
    if (!words || !e || !e.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
    if (e.closest('script, style, option')) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    const rects = [...range.getClientRects()].filter((r) => r.width > 1 && r.height > 1);
    if (rects.length === 0 || rects.every((r) => r.bottom < 0 || r.top > innerHeight)) continue;
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
    if (cut) found.push(`${short(words)} is cut off by ${cut}`);
    if (visible.length === 0) continue;
    // What lies above it belongs to another layer: a panel, a menu.
    const r = visible[0];
    const top = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2);
    if (covers(top, e)) continue;
    if (size < 10.99) found.push(`${short(words)} is ${size.toFixed(1)} px high at ${round(r)}`);
    const low = faint(e, style, size);
    if (low) found.push(`${short(words)} has a contrast of ${low.toFixed(2)} at ${round(r)}`);
    seen.push({ words, e, rects: visible });
  }

  // Half of the line height is not text.
  const inset = (r) => ({ left: r.left + 1, right: r.right - 1, top: r.top + r.height * 0.2, bottom: r.bottom - r.height * 0.2 });
  const meet = (p, q) => Math.min(p.right, q.right) - Math.max(p.left, q.left) > 2 && Math.min(p.bottom, q.bottom) - Math.max(p.top, q.top) > 2;
  const texts = seen.map((s) => ({ ...s, boxes: s.rects.map(inset) })).sort((a, b) => a.boxes[0].top - b.boxes[0].top);
  for (let i = 0; i < texts.length; i++)
    for (let j = i + 1; j < texts.length; j++) {
      const [a, b] = [texts[i], texts[j]];
      if (a.boxes.length === 1 && b.boxes[0].top > a.boxes[0].bottom) break;
      if (a.e !== b.e && a.boxes.some((p) => b.boxes.some((q) => meet(p, q))))
        found.push(`${short(a.words)} and ${short(b.words)} overlap at ${round(a.rects[0])}`);
    }
  // On the map no text covers a card, nor lies half below one.
  const cards = [...document.querySelectorAll('.react-flow__node-device, .react-flow__node-segment')].map((e) => ({
    e,
    box: (e.querySelector('.card') ?? e).getBoundingClientRect(),
  }));
  for (const t of texts.filter((t) => t.e.closest('.react-flow__viewport')))
    for (const c of cards) {
      const own = c.e.contains(t.e);
      if (!own && t.boxes.some((b) => meet(b, c.box))) found.push(`${short(t.words)} and the card at ${round(c.box)} cover each other`);
      if (own && !t.e.closest('.map-note') && t.rects.some((r) => meet(r, c.box) && (r.left < c.box.left - 1 || r.right > c.box.right + 1)))
        found.push(`${short(t.words)} is wider than its card at ${round(c.box)}`);
    }

  const main = document.querySelector('main')?.getBoundingClientRect();
  if (main && innerWidth >= 1280 && main.width < 899) found.push(`the main view is ${Math.round(main.width)} px wide`);
  if (document.documentElement.scrollWidth > innerWidth) found.push(`the page is ${document.documentElement.scrollWidth} px wide, the window ${innerWidth}`);
  const moving = document.getAnimations().filter((a) => a.playState === 'running' && Number(a.effect?.getComputedTiming().duration) > 1);
  if (matchMedia('(prefers-reduced-motion: reduce)').matches && moving.length > 0)
    found.push(`${moving.length} animations run although motion is to be reduced: ${moving[0].animationName ?? moving[0].transitionProperty ?? ''} on ${moving[0].effect?.target?.className ?? ''}`);
  return JSON.stringify([...new Set(found)]);
})()
