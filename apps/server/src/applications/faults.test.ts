import { atOnce } from '@moorage/standins/platform/pace';
import { DoomedServers } from '../testing/doomed';
import { Storm } from '../testing/storm';
import { makeWorld } from '../testing/world';

/** Further seeds and longer storms by the environment: `npm run bench faults`. */
const [seeds, acts, first] = (process.env.MOORAGE_STORM ?? '1x60x1').split('x').map(Number) as [number, number, number];

test.each(Array.from({ length: seeds }, (_, i) => i + (first ?? 1)))(
  'whatever fails, nothing acknowledged is lost, attached twice or left half done (seed %i)',
  async (seed) => {
    const world = await makeWorld({
      writes: true,
      pace: { ...atOnce, graceMs: 20, evictMs: 40, forceMs: 600_000, stopMs: 5, attachMs: 5, detachMs: 5 },
      kelp: (kelp) => ({ ...kelp, createMs: 5, resyncRate: 1e12, healAfterMs: 500 }),
      backendTimeoutMs: 2000,
    });
    const servers = new DoomedServers(world);
    try {
      const seen = await new Storm(world, servers, seed, acts).run();
      if (process.env.MOORAGE_STORM) console.log(`seed ${seed}: ${JSON.stringify(seen)}`);
      expect(seen.acts).toBe(acts);
    } finally {
      servers.end();
      await world.end();
    }
  },
  600_000,
);
