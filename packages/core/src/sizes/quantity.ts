import { bytes, type Bytes } from './bytes';

/** Why a text is not a size. Words for these are made where they are shown. */
export type QuantityProblem = 'empty' | 'not-a-quantity' | 'unknown-suffix' | 'negative' | 'too-large';

export type QuantityResult =
  | {
      readonly ok: true;
      readonly bytes: Bytes;
      /** The text named a fraction of a byte and was rounded up. */ readonly roundedUp: boolean;
    }
  | { readonly ok: false; readonly problem: QuantityProblem; readonly text: string };

const decimal = ['k', 'M', 'G', 'T', 'P', 'E'];
const binary = ['Ki', 'Mi', 'Gi', 'Ti', 'Pi', 'Ei'];
const pattern = /^([+-]?)(\d+(?:\.\d*)?|\.\d+)([A-Za-z]*|[eE][+-]?\d+)$/;

/** The factor of a suffix as numerator and denominator, or undefined when the platform's grammar does not know it. */
function factor(suffix: string): readonly [bigint, bigint] | undefined {
  if (suffix === '') return [1n, 1n];
  if (suffix === 'm') return [1n, 1000n];
  const ten = decimal.indexOf(suffix);
  if (ten >= 0) return [1000n ** BigInt(ten + 1), 1n];
  const two = binary.indexOf(suffix);
  if (two >= 0) return [1024n ** BigInt(two + 1), 1n];
  const exponent = /^[eE]([+-]?\d{1,3})$/.exec(suffix);
  if (!exponent) return undefined;
  const power = Number(exponent[1]);
  return power >= 0 ? [10n ** BigInt(power), 1n] : [1n, 10n ** BigInt(-power)];
}

/**
 * Reads the platform's quantity grammar in full: plain numbers, decimals, `k M G T P E`, `Ki Mi Gi Ti Pi Ei`, `m` and
 * exponents. The arithmetic is exact; a fraction of a byte rounds up, as the platform does.
 */
export function parseQuantity(input: string): QuantityResult {
  const text = input.trim();
  if (text === '') return { ok: false, problem: 'empty', text };
  const match = pattern.exec(text);
  if (!match) return { ok: false, problem: 'not-a-quantity', text };
  const [, sign, digits = '', suffix = ''] = match;
  const scale = factor(suffix);
  if (!scale) return { ok: false, problem: 'unknown-suffix', text };
  const [whole = '', fraction = ''] = digits.split('.');
  const numerator = BigInt(whole + fraction || '0') * scale[0];
  const denominator = 10n ** BigInt(fraction.length) * scale[1];
  if (sign === '-' && numerator > 0n) return { ok: false, problem: 'negative', text };
  const rounded = (numerator + denominator - 1n) / denominator;
  if (rounded > BigInt(Number.MAX_SAFE_INTEGER)) return { ok: false, problem: 'too-large', text };
  return { ok: true, bytes: bytes(Number(rounded)), roundedUp: numerator % denominator !== 0n };
}

/** Writes a size so that reading it back gives the same bytes: the largest binary suffix that divides it, else a plain number. */
export function formatQuantity(size: Bytes): string {
  let value: number = size;
  let suffix = '';
  for (const next of binary) {
    if (value === 0 || value % 1024 !== 0) break;
    value /= 1024;
    suffix = next;
  }
  return `${value}${suffix}`;
}
