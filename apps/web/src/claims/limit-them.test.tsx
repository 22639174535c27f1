import { FakeServer, Refused, screen, show } from '../testing/render';
import { aUsage } from '../testing/rows';
import { LimitThem } from './LimitThem';
import { limitRows, limitSentence } from './limits-words';

const GiB = 2 ** 30;
const usage = [
  { ...aUsage('ferry-desk', []), provisioned: 400 * GiB, limit: 600 * GiB },
  { ...aUsage('wave-model', []), provisioned: 2.5 * GiB, limit: null },
  { ...aUsage('tide-gauges', []), provisioned: 100 * GiB, limit: 150 * GiB },
  { ...aUsage('chart-tiles', []), provisioned: 9 * GiB, limit: null },
];
const claims = ['ferry-desk', 'wave-model', 'ferry-desk', 'tide-gauges'].map((namespace, i) => ({
  ...{ namespace, name: `c-${i}` },
}));

test('each namespace gets what it holds and the room beyond, in whole GiB; others are left alone', () => {
  const rows = limitRows(claims, usage, 50 * GiB);
  expect(rows.map((r) => [r.namespace, r.picked, r.then / GiB, limitSentence(r)])).toEqual([
    ['ferry-desk', 2, 450, '150 GiB less than now'],
    ['wave-model', 1, 53, 'has no limit now'],
    ['tide-gauges', 1, 150, 'stays as it is'],
  ]);
  expect(limitSentence(limitRows(claims, usage, 300 * GiB)[0]!)).toBe('100 GiB more than now');
});

test('what is shown is what is given, with what was seen; it can be taken back', async () => {
  const server = new FakeServer({ listNamespaces: () => usage, setLimits: () => null });
  const { user } = show(<LimitThem claims={claims} close={() => undefined} />);
  const field = await screen.findByLabelText('Beyond what each holds');
  await user.clear(field);
  await user.type(field, '50Gi');
  await user.click(await screen.findByRole('button', { name: 'Limit 2 namespaces' }));
  await screen.findByText('2 namespaces have their limits.');
  expect(server.of('setLimits')[0]!.body).toEqual([
    { namespace: 'ferry-desk', was: 600 * GiB, bytes: 450 * GiB },
    { namespace: 'wave-model', was: null, bytes: 53 * GiB },
  ]);
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await screen.findByText('Taken back.');
  expect(server.of('setLimits')[1]!.body).toEqual([
    { namespace: 'ferry-desk', was: 450 * GiB, bytes: 600 * GiB },
    { namespace: 'wave-model', was: 53 * GiB, bytes: null },
  ]);
});

test('what cannot be read as a size is told, and a refusal names who changed', async () => {
  new FakeServer({
    listNamespaces: () => usage,
    setLimits: () => new Refused(409, 'Other limits than were shown: ferry-desk. Nothing was changed.'),
  });
  const { user } = show(<LimitThem claims={claims} close={() => undefined} />);
  const field = await screen.findByLabelText('Beyond what each holds');
  await user.clear(field);
  await user.type(field, 'much');
  expect(screen.queryByRole('button', { name: /^Limit/ })).toBeNull();
  await user.clear(field);
  await user.type(field, '1Gi');
  await user.click(await screen.findByRole('button', { name: 'Limit 3 namespaces' }));
  await screen.findByText(/Other limits than were shown: ferry-desk/);
});
