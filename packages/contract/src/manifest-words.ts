import { sizeText } from '@moorage/core/sizes/display';
import type { ManifestObjection } from './manifests';

type Worded = {
  [Reason in ManifestObjection['reason']]: (of: Extract<ManifestObjection, { reason: Reason }>) => string;
};

const words: Worded = {
  fault: ({ line, path, detail }) => `line ${line}${path ? `, ${path}` : ''}: ${detail}`,
  twice: ({ line }) => `stands in the text twice; the first is on line ${line}.`,
  'not-allowed': () => 'you may make claims in your own namespaces, and nothing else.',
  'no-namespace': ({ namespace }) => `there is no namespace ${namespace}.`,
  fixed: ({ path, from, to }) =>
    `${path} is ${from || 'not set'} and cannot become ${to} once it is made: make another under a new name.`,
  shrinks: ({ from, to }) =>
    `asks for ${sizeText(from)} already, and a volume never shrinks to ${sizeText(to)}: make a smaller one and copy the data.`,
  'does-not-grow': ({ className }) =>
    `class ${className || '(none)'} does not let claims grow; allow it under Classes first.`,
  'not-bound': () => 'its size can be changed once it has a volume, and it has none yet.',
  'class-stands': ({ path, from, to }) =>
    `stands with ${path} ${from || 'not set'}, not ${to}: change it under Classes, or make a successor there.`,
  'no-such-volume': ({ handle }) => `no backend lists the volume ${handle || '(none named)'}.`,
  'volume-held': ({ handle, by }) => `the volume ${handle} is held by ${by}.`,
  'volume-smaller': ({ has, says }) => `says ${sizeText(says)}, and its volume has ${sizeText(has)}.`,
  'not-kept': () => 'a volume made by others is never destroyed here: write persistentVolumeReclaimPolicy: Retain.',
};

/** Why an object of a text is not made or changed, as a sentence that goes on after its name. */
export const objectionWords = (objection: ManifestObjection): string =>
  (words[objection.reason] as (of: ManifestObjection) => string)(objection);
