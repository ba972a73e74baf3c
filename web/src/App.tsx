import { ChakraProvider } from '@chakra-ui/react';
import '@fontsource-variable/inter/wght.css';
import '@fontsource-variable/jetbrains-mono/wght.css';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode, Suspense, lazy } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { queries } from './shared/api/client';
import { About } from './frame/About';
import { LabsPage } from './frame/labs/LabsPage';
import { Shell } from './frame/Shell';
import { Waiting } from './shared/parts/parts';
import { system } from './theme';

const GuideView = lazy(() => import('./frame/guide/GuideView'));

/** The whole client, put into the page. */
export function start(root: HTMLElement) {
  createRoot(root).render(
    <StrictMode>
      <ChakraProvider value={system}>
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <Routes>
              <Route path="/" element={<LabsPage />} />
              <Route path="/lab/:id" element={<Navigate to="map" replace />} />
              <Route path="/lab/:id/:view" element={<Shell />} />
              {['/guide', '/guide/:page'].map((path) => (
                <Route
                  key={path}
                  path={path}
                  element={
                    <Suspense fallback={<Waiting what="loading the guide" />}>
                      <GuideView />
                    </Suspense>
                  }
                />
              ))}
              <Route path="/about" element={<About />} />
              <Route path="*" element={<Navigate to="/" replace />} />
            </Routes>
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>
    </StrictMode>,
  );
}
