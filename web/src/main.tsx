import { prefetch } from './shared/api/questions';
import { applyScheme } from './frame/scheme';

// The lab's data are under way while the browser is still reading the rest of the client.
applyScheme();
const lab = /^\/lab\/([^/]+)/.exec(location.pathname);
if (lab?.[1]) prefetch(lab[1], new URLSearchParams(location.search).get('when') ?? 'now');

const root = document.getElementById('root');
if (root) void import('./App').then((app) => app.start(root));
