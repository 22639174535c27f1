import { act, renderHook } from '@testing-library/react';
import { keys } from './keys';
import { useLiveChanges, useLiveState } from './live';
import { queryClient } from './queries';

/** The one connection of a browser. */
class FakeSource {
  static last?: FakeSource;
  onmessage?: (event: { data: string }) => void;
  onopen?: () => void;
  onerror?: () => void;
  closed = false;
  private readonly heard = new Map<string, () => void>();
  constructor(readonly url: string) {
    FakeSource.last = this;
  }
  addEventListener = (name: string, listener: () => void) => void this.heard.set(name, listener);
  tell = (event: object) => this.onmessage?.({ data: JSON.stringify(event) });
  say = (name: string) => this.heard.get(name)?.();
  close(): void {
    this.closed = true;
  }
}
/** Pages of one browser hear each other through channels of one name. */
class FakeChannel {
  static readonly all = new Set<FakeChannel>();
  onmessage?: (event: { data: unknown }) => void;
  constructor() {
    FakeChannel.all.add(this);
  }
  postMessage(data: unknown): void {
    for (const other of FakeChannel.all) if (other !== this) other.onmessage?.({ data });
  }
  close(): void {
    FakeChannel.all.delete(this);
  }
}
/** Locks of a browser: who comes second waits until the first lets go. */
let holder: Promise<void> = Promise.resolve();
const locks = {
  request: (_name: string, _options: object, hold: () => Promise<void>) => (holder = holder.then(hold)),
};

let asked: string[];
beforeEach(() => {
  jest.useFakeTimers();
  Object.assign(globalThis, { EventSource: FakeSource, BroadcastChannel: FakeChannel });
  Object.defineProperty(navigator, 'locks', { value: locks, configurable: true });
  FakeSource.last = undefined;
  useLiveState.setState({ lostAt: undefined });
  queryClient.clear();
  asked = [];
  for (const key of [
    keys.backends(),
    keys.claims.page({}),
    keys.placement(),
    keys.findings(),
    keys.operations.counts(),
  ])
    queryClient.setQueryData(key, {});
  jest.spyOn(queryClient, 'invalidateQueries').mockImplementation((filter) => {
    asked.push(String(filter?.queryKey?.[0]));
    return Promise.resolve();
  });
});
afterEach(() => {
  jest.restoreAllMocks();
  jest.useRealTimers();
});

async function listening() {
  const hook = renderHook(() => useLiveChanges());
  await act(async () => Promise.resolve());
  return { source: FakeSource.last!, ...hook };
}
const settle = () => act(() => jest.advanceTimersByTime(200));

test('a burst of changes asks for each concept that they touch once', async () => {
  const { source, unmount } = await listening();
  expect(source.url).toBe('/api/events');
  for (let i = 0; i < 50; i++) source.tell({ topic: 'pools', subject: `p-${i}` });
  source.tell({ topic: 'findings' });
  settle();
  expect(asked.sort()).toEqual(['backends', 'findings', 'growth', 'instances', 'placement', 'round']);
  unmount();
});

test('what is no known change asks for nothing', async () => {
  const { source, unmount } = await listening();
  source.tell({ topic: 'weather' });
  settle();
  expect(asked).toEqual([]);
  unmount();
});

test('a connection that is lost is shown, and everything is asked for once it is back', async () => {
  const { source, unmount } = await listening();
  act(() => source.onerror?.());
  expect(useLiveState.getState().lostAt).toBeDefined();
  settle();
  expect(asked).toEqual([]);
  act(() => source.onopen?.());
  settle();
  expect(useLiveState.getState().lostAt).toBeUndefined();
  expect(asked).toContain('claims');
  expect(asked).toContain('operations');
  unmount();
});

test('a server that lost its database says that the page may be old, and after the gap all is asked for', async () => {
  const { source, unmount } = await listening();
  act(() => source.say('stale'));
  expect(useLiveState.getState().lostAt).toBeDefined();
  act(() => source.say('gap'));
  settle();
  expect(useLiveState.getState().lostAt).toBeUndefined();
  expect(asked).toContain('backends');
  unmount();
});

test('another page of the browser hears through the one that holds the connection, and takes it over when that goes', async () => {
  const first = await listening();
  const { source } = first;
  const second = renderHook(() => useLiveChanges());
  await act(async () => Promise.resolve());
  expect(FakeSource.last).toBe(source);
  source.tell({ topic: 'findings' });
  settle();
  // both pages ask
  expect(asked).toEqual(['findings', 'findings']);
  first.unmount();
  expect(source.closed).toBe(true);
  await act(async () => {
    for (let i = 0; i < 5; i++) await Promise.resolve();
  });
  expect(FakeSource.last).not.toBe(source);
  second.unmount();
});
