import { cleanup, configure } from '@testing-library/react';
import { afterEach, vi } from 'vitest';

// What a browser has and jsdom has not.
if (typeof window !== 'undefined') {
  class NoObserver {
    observe() {}
    unobserve() {}
    disconnect() {}
  }
  vi.stubGlobal('ResizeObserver', NoObserver);
  window.matchMedia = (media) =>
    ({ matches: false, media, addEventListener() {}, removeEventListener() {} }) as unknown as MediaQueryList;
  afterEach(cleanup);
  configure({ asyncUtilTimeout: 20_000 }); // a busy machine is no reason to fail
}
