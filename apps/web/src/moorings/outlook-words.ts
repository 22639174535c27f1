import { mostCounted } from '@moorage/core/placement/decide';
import type { Outlook } from '@moorage/core/placement/outlook';
import type { RuleName } from '@moorage/core/placement/rule';
import { sizeText } from '@moorage/core/sizes/display';
import { ruleTitles } from './check-words';

export const countText = (n: number): string =>
  n >= mostCounted ? `over ${(mostCounted - 1).toLocaleString('en-GB')}` : n.toLocaleString('en-GB');

const ruleInSentence = (rule: RuleName): string => ruleTitles[rule].replace(/^[A-Z](?=[a-z])/, (c) => c.toLowerCase());

/** How much more the class takes, and what stops it. */
export function outlookText(outlook: Outlook): string {
  // what is tried above may be another size, and another mode
  const mode = outlook.mode === 'ReadWriteOnce' ? '' : ` with ${outlook.mode}`;
  if (outlook.claims === 0)
    return `no more of ${outlook.known ? 'its usual' : 'a guessed'} ${sizeText(outlook.usual)}${mode}`;
  const stop = outlook.stoppedBy[0];
  const until = stop ? `, until ${ruleInSentence(stop.rule)} stops it` : '';
  return `${countText(outlook.claims)} more of ${sizeText(outlook.usual)}${mode}, ${sizeText(outlook.bytes)}${until}`;
}
