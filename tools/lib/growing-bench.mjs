import { operatorAt, until } from './bench-api.mjs';
import { callSeconds } from './binding-bench.mjs';

const GiB = 2 ** 30;
const claims = 1000;

/** Grows a thousand claims in one round: seconds from asking until the last has its size, beside the backend's calls for it. */
export async function measureGrowing({ url }) {
  const { api, end } = await operatorAt(url);
  const names = Array.from({ length: claims }, (_, i) => `many-${String(i).padStart(4, '0')}`);
  const at = names.map((name) => ({ namespace: 'wave-model', name }));
  for (let i = 0; i < claims; i += 20)
    await Promise.all(
      at.slice(i, i + 20).map((claim) =>
        // raw devices: no node has to grow a file system on them
        api('POST', '/api/claims', {
          ...claim,
          className: 'bench',
          size: '1Gi',
          modes: ['ReadWriteOnce'],
          volumeMode: 'Block',
        }),
      ),
    );
  const counts = async () => (await api('GET', '/api/claims?q=many-&limit=1')).counts;
  await until(async () => (await counts()).bound === claims, 6);
  const calls = /world="kelp",call="volume grown"/;
  const before = await callSeconds(url, calls);
  const began = performance.now();
  const plan = await api('POST', '/api/rounds/plan', { claims: at, change: { kind: 'grow', to: '2Gi' } });
  const planned = performance.now();
  await api('POST', '/api/rounds', { claims: at, change: { kind: 'grow', to: '2Gi' } });
  const grown = async () => {
    const page = await api('GET', '/api/operations?show=under-way&kind=grow&limit=1');
    const last = await api('GET', `/api/claims/wave-model/${names[claims - 1]}`);
    const round = await api('GET', '/api/operations?show=under-way&kind=round&limit=1');
    return page.rows.length === 0 && round.rows.length === 0 && last.claim.provisioned === 2 * GiB;
  };
  await until(grown, 10);
  const seconds = (performance.now() - planned) / 1000;
  const callsS = (await callSeconds(url, calls)) - before;
  const sizes = await api('GET', '/api/claims?q=many-&limit=500&sort=name&direction=asc');
  end();
  return {
    claims,
    planMs: planned - began,
    goes: plan.goes,
    seconds,
    callsS,
    ratio: seconds / callsS,
    right: sizes.claims.every((c) => c.provisioned === 2 * GiB),
  };
}
