import type { UseFlows } from '@moorage/contract/usage';
import { FakeServer, screen, show } from '../testing/render';
import Namespaces from './Namespaces';

test('on three shores each band tells what it holds and leads to its claims; several together lead to what is known of them', async () => {
  const flows: UseFlows = {
    ...{ at: '2026-11-26T10:00:00.000Z', isPast: false, currency: 'EUR', measure: 'price', unknown: 2 },
    namespaces: { names: ['tide-gauges', ''], merged: 7 },
    classes: { names: ['ledger'], merged: 0 },
    pools: { names: ['kelp-nvme', ''], merged: 0 },
    flows: [
      { ...{ namespace: 0, class: 0, pool: 0 }, value: 12_340_000, claims: 3 },
      { ...{ namespace: 1, class: 0, pool: 1 }, value: 1_000_000, claims: 1 },
    ],
  };
  const server = new FakeServer({ getFlows: () => flows });
  show(<Namespaces />, { at: '/namespaces?view=shores&measure=price' });
  const band = await screen.findByRole('link', { name: 'tide-gauges, ledger on kelp-nvme: 12.34 EUR, 3 claims' });
  expect(band.getAttribute('href')).toBe('/claims?namespace=tide-gauges&class=ledger&q=kelp-nvme');
  const others = screen.getByRole('link', { name: '7 others, ledger on not placed: 1.00 EUR, 1 claim' });
  expect(others.getAttribute('href')).toBe('/claims?class=ledger');
  expect(screen.getByRole('img', { name: 'ledger: 13.34 EUR · 4 claims' })).toBeTruthy();
  expect(screen.getByText(/Of 2 claims it is not known/)).toBeTruthy();
  expect(server.of('getUse')).toHaveLength(0);
});
