import createCache from '@emotion/cache';
import { CacheProvider } from '@emotion/react';
import { ThemeProvider } from '@mui/material';
import { endpoints, type EndpointName } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { Session } from '@moorage/contract/people';
import { QueryClientProvider } from '@tanstack/react-query';
import { configure, render, screen } from '@testing-library/react';
import userEvent, { PointerEventsCheckLevel } from '@testing-library/user-event';
import { BrowserRouter, Route, Routes } from 'react-router';
import { queryClient } from '../api/queries';
import { NoticeBar } from '../parts/NoticeBar';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';
import { makeTheme } from '../theme/theme';

configure({
  // the whole page in the place of a sentence helps nobody
  getElementError: (message) => new Error(message ?? 'not found'),
  // a machine that is busy with other tests takes seconds for what takes a tenth of one alone
  asyncUtilTimeout: 30_000,
});

// no look is drawn here (journeys see it in the real browser): what asks whether a thing is seen is matched against every rule
const noLook = Object.assign(createCache({ key: 'no-look' }), { insert: () => undefined });

/** What the server is asked: the endpoint, the parts of its path, its query and its body. */
export interface Asked {
  readonly params: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, string>>;
  readonly body: unknown;
  readonly version: string | null;
}
type Answers = Partial<Record<EndpointName, (asked: Asked) => unknown>>;

/** An answer that refuses. */
export class Refused {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly field?: string,
  ) {}
}

const routes = (Object.entries(endpoints) as [EndpointName, Endpoint][])
  .map(([name, endpoint]) => ({
    name,
    method: endpoint.method.toUpperCase(),
    pattern: new RegExp(`^${endpoint.path.replace(/:(\w+)/g, '(?<$1>[^/]+)')}$`),
    isLiteral: !endpoint.path.includes(':'),
  }))
  .sort((a, b) => Number(b.isLiteral) - Number(a.isLiteral));

export const maren: Session = {
  ...{ name: 'maren', title: 'Maren', role: 'operator', namespaces: [] },
  ...{ site: 'quayside', currency: 'EUR' },
};

/** A server of a few answers. What it is asked besides fails the test by being seen in `unanswered`. */
export class FakeServer {
  readonly calls: (Asked & { readonly name: EndpointName })[] = [];
  readonly unanswered: string[] = [];

  constructor(private readonly answers: Answers) {
    globalThis.fetch = (url, init) => Promise.resolve(this.answer(String(url), init ?? {}));
  }

  of = (name: EndpointName) => this.calls.filter((c) => c.name === name);

  private answer(url: string, init: RequestInit): Response {
    const { pathname, searchParams } = new URL(url, 'http://moorage.test');
    const route = routes.find((r) => r.method === (init.method ?? 'GET') && r.pattern.test(pathname));
    const answer = route && this.answers[route.name];
    if (!route || !answer) {
      this.unanswered.push(`${init.method ?? 'GET'} ${pathname}`);
      return plain(500, { type: 'x', title: 'Not in this test', status: 500, detail: pathname, code: 'none' });
    }
    const params = Object.fromEntries(
      Object.entries(route.pattern.exec(pathname)?.groups ?? {}).map(([k, v]) => [k, decodeURIComponent(v)]),
    );
    const asked: Asked = {
      params,
      query: Object.fromEntries(searchParams),
      body: typeof init.body === 'string' ? (JSON.parse(init.body) as unknown) : undefined,
      version: new Headers(init.headers).get('If-Match'),
    };
    this.calls.push({ name: route.name, ...asked });
    const data = answer(asked);
    if (data instanceof Refused) {
      const { status, detail, field } = data;
      return plain(status, { type: 'x', title: 'Refused', status, detail, code: 'refused', ...(field && { field }) });
    }
    return data === undefined ? plain(204, undefined) : plain(200, data);
  }
}

/** As much of the browser's own as is read of an answer. */
const plain = (status: number, data: unknown): Response =>
  ({
    status,
    ok: status < 400,
    text: () => Promise.resolve(data === undefined ? '' : JSON.stringify(data)),
  }) as unknown as Response;

/** Draws a part as it stands in the application, with the one signed in, at an address. */
export function show(part: React.ReactNode, { person = maren, at = '/', path = '*' } = {}) {
  queryClient.clear();
  queryClient.setDefaultOptions({ queries: { retry: false, staleTime: 10_000 } });
  useNotice.getState().show(undefined);
  window.history.replaceState(null, '', at);
  const user = userEvent.setup({ pointerEventsCheck: PointerEventsCheckLevel.EachTarget });
  const drawn = render(
    <CacheProvider value={noLook}>
      <ThemeProvider theme={makeTheme('day')}>
        <QueryClientProvider client={queryClient}>
          <BrowserRouter>
            <PersonContext value={person}>
              <Routes>
                <Route path={path} element={part} />
                <Route path="*" element={<p>elsewhere</p>} />
              </Routes>
              <NoticeBar />
            </PersonContext>
          </BrowserRouter>
        </QueryClientProvider>
      </ThemeProvider>
    </CacheProvider>,
  );
  return { user, ...drawn };
}

export { screen };
