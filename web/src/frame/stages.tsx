import { Suspense, lazy, type ReactNode } from 'react';
import type { LabState } from '../shared/api/client';
import type { Focus, View } from '../shared/focus/focus';
import { textAt } from '../shared/focus/moment';
import { Waiting } from '../shared/parts/parts';
import { ChecksView } from '../views/checks/ChecksView';
import { ComparisonView } from '../views/compare/ComparisonView';
import { DatabaseView } from '../views/database/DatabaseView';
import { FailuresView } from '../views/failures/FailuresView';
import { MapComparison } from '../views/map/MapComparison';
import { MapView } from '../views/map/MapView';
import { MessagesView } from '../views/messages/MessagesView';
import { NeighboursView } from '../views/neighbours/NeighboursView';
import { PacketsView } from '../views/packets/PacketsView';
import { PathsComparison } from '../views/paths/PathsComparison';
import { PathsView } from '../views/paths/PathsView';
import { PoliciesView } from '../views/policies/PoliciesView';
import { PortsView } from '../views/ports/PortsView';
import { RoutesView } from '../views/routes/RoutesView';
import { TimelineView } from '../views/timeline/TimelineView';

const DeskView = lazy(() => import('../views/desk/DeskView'));
const TextView = lazy(() => import('../views/text/TextView'));
const TwoTexts = lazy(() => import('../views/text/TwoTexts').then((m) => ({ default: m.TwoTexts })));

/** What the frame has for the view that is open. */
export interface Stage {
  lab: LabState;
  focus: Focus;
  /** The moment in focus is not now. */
  past: boolean;
  /** A line of the text to go to. */
  line: { line: number } | undefined;
  goto: (line: number) => void;
  map: Parameters<typeof MapView>[0];
}

/** How a view is shown: as it is, and if it can be, as the difference between two moments. */
interface Shown {
  show: (s: Stage) => ReactNode;
  compare?: (s: Stage) => ReactNode;
}

/** What of a text belongs to policies. */
const ofPolicies = /^(policy|[a-z-]+-set) | (import|export)-policy/;

const rows = (view: View) => () => <ComparisonView view={view} />;

const texts = (only?: RegExp) =>
  function Texts({ lab, focus }: Stage) {
    return (
      <Suspense fallback={<Waiting what="loading the texts" />}>
        <TwoTexts
          before={textAt(lab, focus.since)}
          after={textAt(lab, focus.when)}
          {...(only ? { only } : {})}
        />
      </Suspense>
    );
  };

/** The registry of views. Their titles and keys are in shared/focus/focus.ts. */
export const stages: Record<View, Shown> = {
  map: { show: (s) => <MapView {...s.map} />, compare: (s) => <MapComparison labels={s.map.labels} /> },
  desk: {
    show: (s) => (
      <Suspense fallback={<Waiting what="loading the editor" />}>
        <DeskView past={s.past} goto={s.goto} />
      </Suspense>
    ),
  },
  text: {
    show: (s) => (
      <Suspense fallback={<Waiting what="loading the editor" />}>
        <TextView lab={s.lab} past={s.past} line={s.line} />
      </Suspense>
    ),
    compare: texts(),
  },
  ports: { show: () => <PortsView />, compare: rows('ports') },
  neighbours: { show: () => <NeighboursView />, compare: rows('neighbours') },
  routes: { show: () => <RoutesView />, compare: rows('routes') },
  paths: { show: () => <PathsView />, compare: () => <PathsComparison /> },
  policies: { show: (s) => <PoliciesView lab={s.lab} />, compare: texts(ofPolicies) },
  database: { show: () => <DatabaseView />, compare: rows('database') },
  messages: { show: () => <MessagesView /> },
  packets: { show: (s) => <PacketsView lab={s.lab} /> },
  timeline: { show: (s) => <TimelineView lab={s.lab} goto={s.goto} /> },
  checks: { show: (s) => <ChecksView goto={s.goto} /> },
  failures: { show: (s) => <FailuresView lab={s.lab} past={s.past} /> },
};
