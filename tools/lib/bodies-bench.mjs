import { operatorAt } from './bench-api.mjs';

const lines = (count, line) => Array.from({ length: count }, (_, i) => line(i)).join('\n');

/** Bodies as a hostile or a very large caller would send them. */
const bodies = {
  'manifest, 200,000 characters of members': [
    '/api/manifests',
    { text: lines(9000, (i) => `key${i}: value`).slice(0, 199_000) },
  ],
  'manifest, 2,000 nested lists': ['/api/manifests', { text: '['.repeat(2000) }],
  'manifest, 12,000 anchors': ['/api/manifests', { text: lines(12_000, (i) => `- &a${i} x`) }],
  'manifest, 200 claims': [
    '/api/manifests',
    {
      text: lines(
        200,
        (i) =>
          `---\napiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: b${i}, namespace: nowhere}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}`,
      ),
    },
  ],
  'kept plan, 5,000 places': [
    '/api/planned-places',
    {
      places: Array.from({ length: 5000 }, (_, i) => ({
        namespace: 'wave-model',
        claim: `bench-${i}`,
        pool: 'basalt-broad',
      })),
    },
  ],
  'kept plan, 100,000 empty values': ['/api/planned-places', { places: Array.from({ length: 99_000 }, () => 0) }],
  'draft, 500 changes': [
    '/api/drafts',
    {
      changes: Array.from({ length: 500 }, () => ({
        kind: 'mooring',
        className: 'nowhere',
        pool: 'nowhere',
        enabled: true,
        weight: 1,
        seen: null,
      })),
    },
  ],
  'nested 20,000 deep': ['/api/claims', `${'{"a":'.repeat(10_000)}1${'}'.repeat(10_000)}`],
  '2 MiB of one text': ['/api/planned-places', `{"places":"${'x'.repeat(2 * 1024 * 1024 - 100)}"}`],
};

/** How long a server answers nobody else while it takes a body, in milliseconds: the longest of many small questions meanwhile. */
export async function measureBodies({ url }) {
  const operator = await operatorAt(url);
  const cookie = operator.cookie();
  const ask = async () => {
    const began = performance.now();
    await (await fetch(`${url}/api/health`)).text();
    return performance.now() - began;
  };
  const usual = [];
  for (let i = 0; i < 200; i++) usual.push(await ask());
  const quiet = usual.sort((a, b) => a - b)[Math.floor(usual.length * 0.95)];
  const results = [];
  for (const [name, [path, body]] of Object.entries(bodies)) {
    const text = typeof body === 'string' ? body : JSON.stringify(body);
    let longest = 0;
    for (let turn = 0; turn < 3; turn++) {
      let open = true;
      const sent = fetch(url + path, {
        method: 'POST',
        headers: { Cookie: cookie, 'Content-Type': 'application/json' },
        body: text,
      })
        .then((r) => r.text())
        .finally(() => (open = false));
      let worst = 0;
      while (open) worst = Math.max(worst, await ask());
      await sent;
      // the least of three turns: what the body itself costs, and not what else the machine did
      longest = turn === 0 ? worst : Math.min(longest, worst);
    }
    results.push({ name, bytes: text.length, ms: Math.max(0, longest - quiet) });
  }
  operator.end();
  return { quiet, results };
}
