import type { TuningAnswer } from '@moorage/contract/tuning';
import { plainClass } from '@moorage/core/classes/storage-class';
import { waitFor } from '@testing-library/react';
import { FakeServer, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { rateAllowances, Tune } from './Tune';
import { rateRows, tuningProblemOf, tuningSentence } from './tuning-words';

const allowance = { setting: 'iops-ceiling' as const, minimum: 100, maximum: 9000, namespaces: [] };
const now = { iopsFloor: 600, iopsCeiling: 4000, throughputFloor: 0, throughputCeiling: null };
const answer = (part: Partial<TuningAnswer> = {}): TuningAnswer => ({
  ...{ now, tuned: { 'iops-ceiling': 4000 } },
  tuning: { kind: 'reckoned', fits: true, rates: { ...now, iopsCeiling: 8000 }, on: [] },
  ...part,
});
const classes = () => [
  {
    storageClass: { ...plainClass, name: 'general', allowances: [allowance] },
    ...{ uid: 'c', isDefault: false, createdAt: '', claims: 1, bound: 1, provisioned: 0, mooredPools: 1, version: '1' },
  },
];
const drawn = async (part: Partial<TuningAnswer> = {}) => {
  const closed = jest.fn();
  const server = new FakeServer({
    listClasses: classes,
    planTuning: () => answer(part),
    tuneClaim: () => aClaimRow('a'),
  });
  const shown = show(<Tune claim={aClaimRow('a', { className: 'general' })} close={closed} />);
  const field = await screen.findByLabelText<HTMLInputElement>('IOPS ceiling');
  await waitFor(() => expect(field.value).toBe('4000'));
  return { server, closed, field, ...shown };
};

test('what it tunes now stands in the form; another value is shown with what it changes, and sent', async () => {
  const { server, closed, field, user } = await drawn();
  const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Tune' });
  expect(send.disabled).toBe(true);
  await user.clear(field);
  await user.type(field, '8000');
  await waitFor(() => expect(send.disabled).toBe(false));
  expect(screen.getByRole('row', { name: /IOPS ceiling/ }).textContent).toBe('IOPS ceiling4,000 IOPS8,000 IOPS');
  await user.click(send);
  await waitFor(() => expect(closed).toHaveBeenCalled());
  expect(server.of('tuneClaim')[0]!.body).toEqual({ tuned: { 'iops-ceiling': 8000 } });
});

test('a value beyond what the class allows is told at its field and not asked for', async () => {
  const { server, field, user } = await drawn();
  await user.clear(field);
  await user.type(field, '20000');
  expect(await screen.findByText('The class allows 100 to 9,000.')).toBeTruthy();
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Tune' }).disabled).toBe(true);
  expect(server.of('planTuning').some((c) => JSON.stringify(c.body).includes('20000'))).toBe(false);
});

test('what its pool cannot promise says which rule refuses it', () => {
  const check = { rule: 'iops', passed: false, need: 900, have: 100, unit: 'iops' as const };
  const on = [{ pool: 'kelp-nvme', backendIops: 0, backendThroughput: 0, checks: [check] }];
  expect(tuningSentence(answer({ tuning: { kind: 'reckoned', fits: false, rates: now, on } }))).toEqual({
    fits: false,
    text: expect.stringMatching(/^kelp-nvme: The floor costs 900 IOPS/) as string,
  });
  expect(
    tuningSentence(answer({ tuning: { kind: 'floor-above-ceiling', of: 'IOPS', floor: 9000, ceiling: 5760 } })).text,
  ).toMatch(/^A floor of 9,000 IOPS is above the ceiling of 5,760 IOPS/);
  expect(tuningSentence(answer({ tuning: { kind: 'pool-gone', pool: 'x' } })).text).toMatch(/not known any more/);
});

test('only rates, and those of the own namespace, are tuned while a claim is bound', () => {
  const all = [
    allowance,
    { ...allowance, setting: 'copies' as const },
    { ...allowance, setting: 'iops-floor' as const, namespaces: ['ferry-desk'] },
  ];
  expect(rateAllowances(all, 'tide-gauges').map((a) => a.setting)).toEqual(['iops-ceiling']);
  expect(rateAllowances(all, 'ferry-desk').map((a) => a.setting)).toEqual(['iops-ceiling', 'iops-floor']);
  expect([tuningProblemOf('', allowance), tuningProblemOf('1.5', allowance), tuningProblemOf('50', allowance)]).toEqual(
    [...[undefined, 'A whole number is needed.', 'The class allows 100 to 9,000.']],
  );
  expect(rateRows(answer({ tuning: { kind: 'pool-gone', pool: 'x' } }))[1]).toEqual({
    ...{ what: 'IOPS ceiling', now: '4,000 IOPS', then: '–' },
  });
});
