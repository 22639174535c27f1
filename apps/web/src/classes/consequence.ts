import type { Pool } from '@moorage/core/pools/pool-state';

/** Something a setting brings about; `foolish` ones want a second thought, `impossible` ones serve nobody. */
export interface Consequence {
  readonly text: string;
  readonly tone: 'plain' | 'foolish' | 'impossible';
}

export const plain = (text: string): Consequence => ({ text, tone: 'plain' });
export const foolish = (text: string): Consequence => ({ text, tone: 'foolish' });
export const impossible = (text: string): Consequence => ({ text, tone: 'impossible' });
export const names = (pools: readonly Pool[]): string => pools.map((p) => p.name).join(', ');
export const iopsText = (value: number): string => `${Math.round(value).toLocaleString('en-GB')} IOPS`;
export const megabytesText = (value: number): string => `${Math.round(value).toLocaleString('en-GB')} MB/s`;
