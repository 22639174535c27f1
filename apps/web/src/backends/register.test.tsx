import type { Probe } from '@moorage/contract/registration';
import { waitFor } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import Register from './Register';

const probe = (part: Partial<Probe> = {}): Probe => ({
  ...{ outcome: 'ready', detail: '', product: 'Gneiss 400, shared files', version: '1.17.0', identity: 'g-1' },
  ...{ certificate: null, nodes: 2, disks: 0 },
  pools: [
    {
      ...{ name: 'gneiss-shared', protocols: ['NFSv4'], accessModes: ['ReadWriteMany'], volumeModes: ['Filesystem'] },
      ...{ snapshots: true, clones: false, expansion: true, encryption: true, iops: 45_000, copies: 1 },
      ...{ offsite: false, minimum: 2 ** 30, maximum: 2 ** 46, granule: 2 ** 30 },
    },
  ],
  ...part,
});
const certificate = {
  ...{ subject: 'CN=gneiss', issuer: 'CN=gneiss', validTo: '2027-01-01T00:00:00Z' },
  fingerprint: Array(32).fill('AB').join(':'),
};

const drawn = async (answers: ConstructorParameters<typeof FakeServer>[0] = {}, person = maren) => {
  const server = new FakeServer({ listBackends: () => [], ...answers });
  const shown = show(<Register />, { at: '/backends/new', path: '/backends/new', person });
  await screen.findByRole('heading', { name: 'Register a backend' });
  return { server, ...shown };
};
type User = Awaited<ReturnType<typeof drawn>>['user'];
const fill = async (user: User, address = 'http://10.40.8.5:8443') => {
  await user.type(screen.getByLabelText('Address'), address);
  await user.type(screen.getByLabelText('User'), 'moorage');
  await user.type(screen.getByLabelText('Password'), 'slow-stone');
};
const look = { name: 'Look at it' };

test('nothing can be looked at before address and credentials are there, nor registered before it was looked at', async () => {
  const { user } = await drawn();
  const button = () => screen.getByRole<HTMLButtonElement>('button', look);
  expect(button().disabled).toBe(true);
  await fill(user);
  expect(button().disabled).toBe(false);
  expect(screen.queryByRole('button', { name: 'Register' })).toBeNull();
});

test('what is there is read from it; a name is proposed by what it calls itself, and all of it is sent', async () => {
  const { user, server } = await drawn({ probeBackend: () => probe(), registerBackend: () => ({ id: 'gneiss' }) });
  await fill(user);
  await user.click(screen.getByRole('button', look));
  expect(await screen.findByText('It can be used')).toBeTruthy();
  expect(screen.getByText(/1 pool, 2 nodes/)).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('gneiss');
  expect(screen.getByLabelText<HTMLInputElement>('Title').value).toBe('Gneiss 400, shared files');
  await user.click(screen.getByRole('button', { name: 'Register' }));
  await waitFor(() => expect(window.location.pathname).toBe('/backends/gneiss'));
  expect(server.of('probeBackend')[0]!.body).toEqual({
    ...{ address: 'http://10.40.8.5:8443', username: 'moorage', password: 'slow-stone' },
    trust: { kind: 'system' },
  });
  expect(server.of('registerBackend')[0]!.body).toMatchObject({
    ...{ id: 'gneiss', title: 'Gneiss 400, shared files', address: 'http://10.40.8.5:8443', password: 'slow-stone' },
    sites: ['quayside'],
  });
});

test('what was seen is forgotten when the credentials change: it was seen with others', async () => {
  const { user } = await drawn({ probeBackend: () => probe() });
  await fill(user);
  await user.click(screen.getByRole('button', look));
  await screen.findByText('It can be used');
  await user.type(screen.getByLabelText('Password'), 'x');
  expect(screen.queryByText('It can be used')).toBeNull();
  expect(screen.queryByRole('button', { name: 'Register' })).toBeNull();
});

test('a certificate that nobody vouches for is compared, pinned, and looked at again with it', async () => {
  const { user, server } = await drawn({
    probeBackend: ({ body }) =>
      (body as { trust: { kind: string } }).trust.kind === 'pinned'
        ? probe({ certificate })
        : probe({ outcome: 'not-trusted', detail: 'self-signed', certificate, pools: [] }),
  });
  await fill(user, 'https://10.40.8.5:8443');
  await user.click(screen.getByRole('button', look));
  expect(await screen.findByText('Its certificate is not trusted')).toBeTruthy();
  expect(screen.getByText('Detail: self-signed')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'I compared it: pin this fingerprint' }));
  expect(await screen.findByText('It can be used')).toBeTruthy();
  expect(server.of('probeBackend')[1]!.body).toMatchObject({
    trust: { kind: 'pinned', fingerprint: certificate.fingerprint },
  });
});

test.each([
  ['wrong-credentials', 'It refuses this user and password'],
  ['lacking-rights', 'The account may look, and change nothing'],
  ['timed-out', 'No answer came in time'],
] as const)('%s says what to do, and nothing can be registered', async (outcome, said) => {
  const { user } = await drawn({ probeBackend: () => probe({ outcome, pools: [] }) });
  await fill(user);
  await user.click(screen.getByRole('button', look));
  expect(await screen.findByText(said)).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'Register' })).toBeNull();
});

test('a refused registration is told, and all that was typed stays', async () => {
  const { user } = await drawn({
    probeBackend: () => probe(),
    registerBackend: () => new Refused(409, 'gneiss is registered already.'),
  });
  await fill(user);
  await user.click(screen.getByRole('button', look));
  await user.click(await screen.findByRole('button', { name: 'Register' }));
  expect(await screen.findByText('gneiss is registered already.')).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>('Password').value).toBe('slow-stone');
  expect(window.location.pathname).toBe('/backends/new');
});

test('a namespace owner is told whom to ask', async () => {
  await drawn({}, { ...maren, role: 'namespace-owner' });
  expect(screen.getByText('This is not for your role')).toBeTruthy();
  expect(screen.queryByLabelText('Address')).toBeNull();
});
