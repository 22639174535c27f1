import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { makeOld } from './make-old';

/** A query that somebody looks at, whose answers come when the test says. */
function looked() {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, gcTime: Infinity } } });
  const asked: { answer(value: string): void; fail(): void }[] = [];
  const observer = new QueryObserver<string>(client, {
    queryKey: ['line', 'a'],
    queryFn: () =>
      new Promise((resolve, reject) => asked.push({ answer: resolve, fail: () => reject(new Error('not there yet')) })),
  });
  const leave = observer.subscribe(() => undefined);
  const passed = () => new Promise((resolve) => setImmediate(resolve));
  return { client, asked, shown: () => observer.getCurrentResult().data, leave, passed };
}

test('a first answer that was asked for before the change is followed by one more', async () => {
  const { client, asked, shown, leave, passed } = looked();
  makeOld(client, 'line');
  asked[0]!.answer('binding');
  await passed();
  expect(asked).toHaveLength(2);
  asked[1]!.answer('bound');
  await passed();
  expect([shown(), asked.length]).toEqual(['bound', 2]);
  leave();
});

test('one that fails is followed as well', async () => {
  const { client, asked, shown, leave, passed } = looked();
  makeOld(client, 'line');
  asked[0]!.fail();
  await passed();
  asked[1]!.answer('bound');
  await passed();
  expect(shown()).toBe('bound');
  leave();
});

test('a burst of changes shows each answer as it comes, and asks once more, not once for each', async () => {
  const { client, asked, shown, leave, passed } = looked();
  asked[0]!.answer('1');
  await passed();
  makeOld(client, 'line');
  await passed();
  expect(asked).toHaveLength(2);
  for (let i = 0; i < 5; i++) makeOld(client, 'line');
  asked[1]!.answer('2');
  await passed();
  expect([shown(), asked.length]).toEqual(['2', 3]);
  makeOld(client, 'line');
  asked[2]!.answer('3');
  await passed();
  asked[3]!.answer('4');
  await passed();
  expect([shown(), asked.length]).toEqual(['4', 4]);
  leave();
});

test('what nobody looks at is not fetched until somebody does', async () => {
  const { client, asked, leave, passed } = looked();
  asked[0]!.answer('1');
  await passed();
  leave();
  makeOld(client, 'line');
  await passed();
  expect([asked.length, client.getQueryState(['line', 'a'])?.isInvalidated]).toEqual([1, true]);
});
