import { survives } from './survival';

test.each([
  [{ copies: 1, witness: false }, 0, 0],
  [{ copies: 2, witness: false }, 1, 1],
  [{ copies: 2, witness: true }, 1, 1],
  [{ copies: 3, witness: false }, 2, 1],
  [{ copies: 4, witness: false }, 3, 2],
  [{ copies: 5, witness: false }, 4, 2],
  [{ copies: 3, shards: { data: 4, parity: 2 }, witness: false }, 2, 2],
])('%j: %d without loss, %d without interruption', (cls, withoutLoss, withoutInterruption) =>
  expect(survives(cls)).toEqual({ withoutLoss, withoutInterruption }),
);
