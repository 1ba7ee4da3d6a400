import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import '@fontsource-variable/atkinson-hyperlegible-next';
import '@fontsource-variable/recursive';
import './look/theme.scss';
import { watchHand } from './api/gesture';
import { Sessions } from './sessions/Sessions';
import { Shell } from './shell/Shell';

watchHand();
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Routes>
          <Route path="/" element={<Sessions />} />
          <Route path="/session/:id" element={<Shell />} />
          <Route path="/session/:id/:bench" element={<Shell />} />
          <Route path="*" element={<Sessions />} />
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
