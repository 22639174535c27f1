import type { StaticRule } from '@moorage/core/claims/static';

/** Why a volume made beforehand is refused for a claim. */
export const staticRuleWords: Readonly<Record<StaticRule, string>> = {
  class: 'it is of another class',
  modes: 'it does not have every access mode that the claim asks for',
  'volume-mode': 'its volume mode is another',
  capacity: 'it is smaller than what the claim asks for',
  selector: "its labels do not match the claim's selector",
  named: 'the claim names another volume',
  free: 'it is reserved for another claim, or held',
};
