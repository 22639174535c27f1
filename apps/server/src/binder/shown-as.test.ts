import { shownAs } from './shown-as';

const claim = { namespace: 'tide-gauges', name: 'level-log' };

test('a volume tells the claim, its team, and what the claim says of itself', () => {
  expect(shownAs(claim, null)).toBe('tide-gauges/level-log');
  expect(shownAs(claim, { 'orrin-sound.example/team': 'gauges' })).toBe('tide-gauges/level-log, team gauges');
  const annotations = { 'vast-moorage.example/description': 'levels since 1987' };
  expect(shownAs({ ...claim, labels: { team: 'charts' }, annotations }, { team: 'gauges' })).toBe(
    'tide-gauges/level-log, team charts: levels since 1987',
  );
  expect(shownAs({ ...claim, annotations: { 'kubernetes.io/description': 'a' } }, {})).toBe('tide-gauges/level-log: a');
});

test('it is one line, of a length that backends take, cut between characters', () => {
  const annotations = { 'vast-moorage.example/description': `two\nlines\t\u0000 ${'⚓️'.repeat(300)}` };
  const line = shownAs({ ...claim, annotations }, null);
  expect(line).toMatch(/^tide-gauges\/level-log: two lines +⚓/);
  expect([...line].length).toBe(200);
  expect(line.endsWith('…')).toBe(true);
});
