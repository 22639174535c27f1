import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parameters } from '@moorage/core/classes/manifest';

test('the page about parameters names every one, and no other', () => {
  const page = readFileSync(join(__dirname, '../../../../docs/class-parameters.md'), 'utf8');
  const listed = [...page.matchAll(/^\| `([\w-]+)`/gm)].map((m) => m[1]);
  expect(listed).toEqual(Object.keys(parameters));
});
