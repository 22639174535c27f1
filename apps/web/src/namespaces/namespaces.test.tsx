import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aUsage } from '../testing/rows';
import Namespaces from './Namespaces';

const GiB = 2 ** 30;
const usage = [
  aUsage(
    'tide-gauges',
    [
      {
        ...{ className: 'ledger', claims: 3, unbound: 1, requested: 230 * GiB, provisioned: 240 * GiB },
        ...{ consumed: 60 * GiB, footprint: 480 * GiB, limit: 250 * GiB },
      },
      { className: 'deep', claims: 1, requested: 10 * GiB, provisioned: 10 * GiB, consumed: GiB, footprint: 15 * GiB },
    ],
    1000 * GiB,
  ),
  aUsage('ferry-desk', [
    { className: 'deep', claims: 2, requested: 40 * GiB, provisioned: 40 * GiB, footprint: 60 * GiB },
  ]),
];
const cell = (key: string) => document.querySelector<HTMLElement>(`[data-cell="${key}"]`)!;
const drawn = async (answers: ConstructorParameters<typeof FakeServer>[0] = {}, at = '/namespaces', person = maren) => {
  const server = new FakeServer({ listNamespaces: () => usage, ...answers });
  const shown = show(<Namespaces />, { at, person });
  await screen.findByRole('grid');
  return { server, ...shown };
};

test('each cell says its bytes and its share of the limit, and the totals add up', async () => {
  await drawn();
  expect(cell('tide-gauges/ledger').textContent).toBe('240 GiB96 % of limit');
  expect(cell('tide-gauges/').textContent).toBe('250 GiB25 % of limit');
  expect(cell('ferry-desk/ledger').textContent?.trim()).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('cell').map((c) => c.textContent)).toEqual(['50 GiB', '240 GiB', '290 GiB', '6']);
  expect(screen.getByText('3 of 4 bound')).toBeTruthy();
});

test('by another measure no limit is shown, since limits are of provisioned bytes', async () => {
  const { user } = await drawn();
  await user.click(screen.getByRole('button', { name: 'raw, with copies' }));
  expect(cell('tide-gauges/ledger').textContent).toBe('480 GiB1 without volume');
  expect(window.location.search).toBe('?measure=footprint');
});

test('the arrow keys choose a cell, which says what it is made of and leads to its claims', async () => {
  const { user } = await drawn();
  await user.click(cell('tide-gauges/ledger'));
  expect(window.location.search).toBe('?namespace=tide-gauges&class=ledger');
  expect(screen.getByRole('heading', { name: 'tide-gauges in ledger' })).toBeTruthy();
  expect(screen.getByRole('link', { name: '3 claims' }).getAttribute('href')).toBe(
    '/claims?namespace=tide-gauges&class=ledger',
  );
  await user.keyboard('{ArrowDown}');
  expect(screen.getByRole('heading', { name: 'ferry-desk in ledger' })).toBeTruthy();
  expect(screen.getByText('No claim here.')).toBeTruthy();
  await user.keyboard('{End}');
  expect(screen.getByRole('heading', { name: 'ferry-desk' })).toBeTruthy();
});

test('a limit is set in bytes, and taken back', async () => {
  const { server, user } = await drawn(
    { setClassLimit: () => undefined },
    '/namespaces?namespace=tide-gauges&class=ledger',
  );
  const field = screen.getByLabelText('Limit of it in ledger');
  await user.clear(field);
  await user.type(field, '300Gi{Enter}');
  await screen.findByText('The limit of it in ledger is changed.');
  expect(server.of('setClassLimit')[0]).toMatchObject({
    params: { namespace: 'tide-gauges', className: 'ledger' },
    body: { bytes: 300 * GiB },
  });
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('setClassLimit')).toHaveLength(2));
  expect(server.of('setClassLimit')[1]!.body).toEqual({ bytes: 250 * GiB });
});

test('an empty field takes the limit of all classes away', async () => {
  const { server, user } = await drawn({ setNamespaceLimit: () => undefined });
  await user.clear(screen.getByLabelText('Limit of tide-gauges'));
  await user.click(screen.getByRole('button', { name: 'Set' }));
  await screen.findByText('tide-gauges has no limit now.');
  expect(server.of('setNamespaceLimit')[0]!.body).toEqual({ bytes: null });
});

test.each([
  ['80 apples', /Not a size/],
  ['0', /above zero/],
  ['-5Gi', /negative/],
])('"%s" is no limit: it is said beside the field, and not sent', async (text, said) => {
  const { server, user } = await drawn({ setNamespaceLimit: () => undefined });
  const field = screen.getByLabelText('Limit of tide-gauges');
  await user.clear(field);
  await user.type(field, `${text}{Enter}`);
  expect(screen.getByText(said)).toBeTruthy();
  expect(server.of('setNamespaceLimit')).toEqual([]);
});

test('what the server refuses is told, and what was typed stays', async () => {
  const { user } = await drawn({ setNamespaceLimit: () => new Refused(422, 'A limit is below what is used.') });
  const field = screen.getByLabelText<HTMLInputElement>('Limit of tide-gauges');
  await user.clear(field);
  await user.type(field, '2Ti{Enter}');
  expect(await screen.findByText(/A limit is below what is used\./)).toBeTruthy();
  expect(field.value).toBe('2Ti');
});

test('a viewer sees limits and cannot set them', async () => {
  await drawn({}, '/namespaces', { ...maren, role: 'viewer' });
  expect(screen.getByLabelText<HTMLInputElement>('Limit of tide-gauges').disabled).toBe(true);
  expect(screen.queryByRole('button', { name: 'Set' })).toBeNull();
});

test('no namespace yet, and no answer, are told apart', async () => {
  new FakeServer({ listNamespaces: () => [] });
  show(<Namespaces />);
  expect(await screen.findByText('No namespace is known yet')).toBeTruthy();
});
