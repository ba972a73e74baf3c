import type { Hunk, Previewed } from '../api/client';
import { allPass, duration, plural } from '../parts/words';

/** What a change makes worse for good: flows, checks and sessions. */
export function harmOf(p: Previewed): string[] {
  const flows = p.flows.filter((f) => f.before && !f.after).map((f) => `flow ${f.name} breaks`);
  const checks = p.checks
    .filter((c) => c.before !== false && c.after && !c.after.passed)
    .map((c) => `check "${c.name}" fails`);
  const lost = (p.sections.find((s) => s.name === 'neighbours')?.rows ?? [])
    .filter((r) => r.weight === 'worse')
    .map((r) => `${r.device} - ${r.other ?? ''} ${r.kind === 'went' ? 'is gone' : 'goes down'}`);
  const unsettled = p.settles ? [] : ['the network does not settle'];
  return [...unsettled, ...flows, ...checks, ...lost];
}

/** What a change does, in few words: the harm, or else what is different. */
export function effectWords(p: Previewed): string {
  const harm = harmOf(p);
  if (harm.length > 0)
    return harm.length > 2 ? `${harm.slice(0, 2).join(', ')}, and ${harm.length - 2} more` : harm.join(', ');
  const out = p.flows.filter((f) => f.before && f.after && f.out > 0);
  const longest = Math.max(0, ...out.map((f) => f.out));
  const words = p.summary.slice(0, 2);
  if (words.length === 0) words.push('nothing else is different');
  if (out.length > 0)
    words.push(`${plural(out.length, 'flow')} out for up to ${duration(longest)} meanwhile`);
  else if (p.checks.length > 0) words.push(checkWords(p));
  return words.join('; ');
}

/** How the checks come out, those above all that fail now and would pass. */
function checkWords(p: Previewed): string {
  const after = p.checks.filter((c) => c.after);
  const passed = after.filter((c) => c.after?.passed);
  if (passed.length === after.length) return allPass(after.length);
  const more = passed.filter((c) => c.before === false).length;
  return `${passed.length} of ${plural(after.length, 'check')} pass, ${more > 0 ? `${more} more than now` : 'as now'}`;
}

/** How much a draft changes: "3 lines on 2 routers". */
export function extent(lines: Hunk[], touched: string[], changes: { subject: string }[] = []): string {
  const n = lines.reduce(
    (sum, h) => sum + Math.max(h.added.filter(Boolean).length, h.removed.filter(Boolean).length),
    0,
  );
  const blocks = [...new Set(lines.map((h) => h.block))];
  const named = blocks.flatMap((b) => /^(?:router|host) (.*)$/.exec(b)?.[1] ?? []);
  const devices = touched.length > 0 ? touched.filter((t) => t !== 'shared') : named;
  const where =
    devices.length > 1
      ? ` on ${plural(devices.length, 'device')}`
      : devices.length === 1
        ? ` on ${devices[0] ?? ''}`
        : blocks.length === 1 && blocks[0]
          ? ` in ${blocks[0]}`
          : '';
  // A template and the defaults reach what takes them.
  const said = blocks.some((b) => /^(?:template|defaults)\b/.test(b));
  const reached = new Set(
    changes.flatMap((c) => (/^\S+( peer .*)?$/.test(c.subject) ? [c.subject.split(/[. ]/)[0]] : [])),
  );
  const reach = said ? `, reaches ${plural(reached.size, 'device')}` : '';
  return n === 0 ? 'layout only' : plural(n, 'line') + where + reach;
}
