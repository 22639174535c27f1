import type { History } from '@moorage/contract/history';
import type { UseGrid } from '@moorage/contract/usage';
import { runwaysText } from '../forecast/export';
import { historyText, useText } from './export';

const grid: UseGrid = {
  ...{
    at: '2026-11-28T00:00:00.000Z',
    isPast: false,
    since: null,
    currency: 'EUR',
    rows: ['=tides', 'b'],
    columns: ['x', ''],
    merged: 7,
  },
  cells: {
    ...{ row: [0, 1], column: [0, 1], claims: [1, 2], unbound: [0, 1], requested: [10, 20], provisioned: [11, 22] },
    ...{ footprint: [30, 40], written: [5, null], iops: [100, 0], price: [1_500_000, null] },
  },
  limits: [{ row: 0, column: null, bytes: 99 }],
};

test('a grid is one line for each cell, what is not known is empty, and no cell is a formula', () => {
  expect(useText(grid, { rows: 'namespace', columns: 'class' }).split('\r\n')).toEqual([
    'namespace,class,claims,unbound,requested_bytes,provisioned_bytes,written_bytes,raw_bytes,reserved_iops,limit_bytes,namespace_limit_bytes,month_eur',
    "'=tides,x,1,0,10,11,5,30,100,,99,1.5",
    'b,7 others,2,1,20,22,,40,0,,,',
    '',
  ]);
});

test('a history is one line for each span, gaps empty', () => {
  const two = { mean: [1, null], most: [3, null], p95: [2, null] };
  const history: History = {
    ...{ step: '1h', from: '', to: '', at: [0, 3_600_000], more: 0, events: [], limit: [null, 50] },
    ...{ written: { least: [4, null], mean: [5, null], most: [6, null] }, iops: two, throughput: two, latency: two },
    ...{ requested: [7, 7], provisioned: [8, 8], footprint: [9, 9], claims: [1, 2] },
  };
  expect(historyText(history).split('\r\n').slice(1)).toEqual([
    '1970-01-01T00:00:00.000Z,1,7,8,9,,4,5,6,1,2,3,1,2,3,1,2,3',
    '1970-01-01T01:00:00.000Z,2,7,8,9,50,,,,,,,,,,,,',
    '',
  ]);
});

test('runways are lines with their days', () => {
  const row = { kind: 'pool', name: 'p', className: null, against: 'hard', used: 1, end: 2, perDay: 0.5 } as const;
  const text = runwaysText({
    ...{ reckonedAt: null, more: 0 },
    rows: [
      { ...row, runway: { kind: 'meets', at: 0, from: 0, to: null } },
      { ...row, perDay: null, runway: null },
    ],
  });
  expect(text.split('\r\n').slice(1)).toEqual([
    'pool,p,,hard,1,2,0.5,meets,1970-01-01T00:00:00.000Z,1970-01-01T00:00:00.000Z,',
    'pool,p,,hard,1,2,,,,,',
    '',
  ]);
});
