import { randomBytes } from 'node:crypto';
import { Vault } from './vault';

const key = randomBytes(32);

test('what is sealed opens with the same key, and twice never looks the same', () => {
  const vault = new Vault(key);
  const [a, b] = [vault.seal('holdfast'), vault.seal('holdfast')];
  expect(a.equals(b)).toBe(false);
  expect(vault.open(a)).toBe('holdfast');
  expect(vault.open(vault.seal(''))).toBe('');
});

test('another key or a changed byte does not open it', () => {
  const sealed = new Vault(key).seal('holdfast');
  expect(() => new Vault(randomBytes(32)).open(sealed)).toThrow();
  for (const at of [0, 13, sealed.length - 1]) {
    const changed = Buffer.from(sealed);
    changed[at]! ^= 1;
    expect(() => new Vault(key).open(changed)).toThrow();
  }
});
