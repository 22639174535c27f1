import type { PortableDesign } from '@moorage/core/clusters/design-file';
import { readPlan, writePlan } from './plan-file';

const plan: PortableDesign = {
  pool: 'eddy-main',
  scheme: { kind: 'erasure', data: 4, parity: 2 },
  level: 'rack',
  nodes: [
    {
      node: 'quay-01',
      disks: [
        { role: 'data', media: 'SSD', capacity: 3_840_755_982_336, count: 4 },
        { role: 'metadata', media: 'SSD', capacity: 1_600_321_314_816, count: 1 },
      ],
    },
    { node: 'quay-02', disks: [] },
  ],
};

test('a plan comes back as it was written', () => expect(readPlan(writePlan(plan))).toEqual({ ok: true, plan }));

test.each([
  ['no YAML', 'a: [1', /^It is not YAML/],
  ['something else', 'kind: Pod', /kind must be "commissioning-plan"/],
  ['nothing', '', /kind must be/],
  ['a wrong count', writePlan(plan).replace('count: 4', 'count: 0'), /^nodes\.0\.disks\.0\.count:/],
  ['a wrong name', writePlan(plan).replace('eddy-main', 'Eddy Main'), /^pool:/],
  ['a missing part', writePlan(plan).replace('level: rack', ''), /^level:/],
])('%s is refused with the place', (_name, text, reason) => {
  const read = readPlan(text);
  expect(read.ok).toBe(false);
  expect(!read.ok && read.reason).toMatch(reason);
});
