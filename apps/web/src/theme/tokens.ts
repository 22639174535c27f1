/** The chart room's colours. Calm is colourless: buoy, lamp and tide are the only ones that call. */
export interface Tokens {
  readonly paper: string;
  readonly sheet: string;
  readonly rule: string;
  readonly ink: string;
  readonly secondInk: string;
  /** How full something is: deeper is fuller. */
  readonly depth: readonly [string, string, string, string, string];
  /** Text that stands on each depth. */
  readonly onDepth: readonly [string, string, string, string, string];
  readonly buoy: string;
  readonly lamp: string;
  readonly tide: string;
}

export type Look = 'day' | 'night';

export const tokens: Record<Look, Tokens> = {
  day: {
    paper: '#F5F1E6',
    sheet: '#FFFDF7',
    rule: '#D9D2BF',
    ink: '#14303A',
    secondInk: '#4A626A',
    depth: ['#E3EEF0', '#C4DDE1', '#93C0C8', '#5598A4', '#1F6B7A'],
    onDepth: ['#14303A', '#14303A', '#14303A', '#0B1E25', '#FFFDF7'],
    buoy: '#B8371F',
    lamp: '#8A5A00',
    tide: '#1F6B7A',
  },
  night: {
    paper: '#0E1F26',
    sheet: '#15303A',
    rule: '#2B4A55',
    ink: '#E9E4D4',
    secondInk: '#A7B5B4',
    depth: ['#17343F', '#1D4450', '#255967', '#2F7180', '#3F8C9B'],
    onDepth: ['#E9E4D4', '#E9E4D4', '#F3EFE3', '#FFFDF7', '#04141A'],
    buoy: '#FF8A6B',
    lamp: '#E8B04A',
    tide: '#6FC3CF',
  },
};

/** The step of depth (0 to 4) for a share of fullness. */
export const depthStep = (share: number): 0 | 1 | 2 | 3 | 4 =>
  Math.max(0, Math.min(4, Math.floor(share * 5))) as 0 | 1 | 2 | 3 | 4;
