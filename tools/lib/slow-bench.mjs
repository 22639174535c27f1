import { median, operatorAt } from './bench-api.mjs';

const post = (url, body) =>
  fetch(url, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body ?? {}) });

const pages = [
  '/api/backends',
  '/api/backends/kelp/inventory',
  '/api/backends/kelp/volumes',
  '/api/backends/basalt/load',
  '/api/placement',
  '/api/findings',
];

/** Bindings and pages of the others, with one backend quick and with all its answers 30 s late, in turns. */
export async function measureBesideSlow({ url, control }) {
  const operator = await operatorAt(url);
  const times = { quick: { bind: [], page: [] }, slow: { bind: [], page: [] } };
  let n = 0;
  const round = async (kind, count) => {
    for (let i = 0; i < count; i++) {
      times[kind].bind.push(await operator.bind(`beside-${n++}`));
      const began = performance.now();
      for (const path of pages) await operator.api('GET', path);
      times[kind].page.push((performance.now() - began) / pages.length);
    }
  };
  await round('quick', 5); // warms up
  times.quick = { bind: [], page: [] };
  for (let turn = 0; turn < 3; turn++) {
    await round('quick', 7);
    await post(`${control}/faults`, { kind: 'latency', latencyMs: 30_000 });
    // the server is in the middle of waiting for it
    await new Promise((r) => setTimeout(r, 6000));
    await round('slow', 7);
    await post(`${control}/heal`);
    await new Promise((r) => setTimeout(r, 1000));
  }
  operator.end();
  const figures = (kind) => ({ bind: median(times[kind].bind), page: median(times[kind].page) });
  return { quick: figures('quick'), slow: figures('slow') };
}
