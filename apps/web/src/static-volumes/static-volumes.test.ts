import type { Candidate } from '@moorage/contract/static-volumes';
import { readManifestText } from '@moorage/manifests/text';
import { candidateSentence, namedSentence } from './Candidates';
import { volumesText, volumeNameOf } from './volume-text';

const row = { id: 'basalt/7F-09', volumeName: 'Old Export #7', volumeId: '7F-09', bytes: 20 * 2 ** 30 };

test('what is offered reads as a volume of ours, kept, and reserved where one claim is named', () => {
  const how = { className: 'general', mode: 'ReadWriteOnce', volumeMode: 'Filesystem' } as const;
  const [read] = readManifestText(
    volumesText([row], { ...how, reservedFor: { namespace: 'tide-gauges', name: 'old' } }),
  );
  expect(read).toMatchObject({ what: 'volume', problems: [], name: 'old-export-7-7f09' });
  expect(read!.value).toMatchObject({
    spec: {
      capacity: { storage: '20Gi' },
      persistentVolumeReclaimPolicy: 'Retain',
      claimRef: { namespace: 'tide-gauges', name: 'old' },
      csi: { volumeHandle: 'basalt/7F-09' },
    },
  });
});

test.each([
  [{ volumeName: '___', volumeId: 'ABC' }, 'abc'],
  [{ volumeName: 'x'.repeat(80), volumeId: '1' }, 'x'.repeat(63)],
])('%j is called %s on the platform', (from, name) => expect(volumeNameOf(from)).toBe(name));

const candidate: Candidate = {
  ...{ name: 'old', className: 'general', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem', capacity: 20 * 2 ** 30 },
  ...{ surplus: 0, reserved: false, reservedFor: null, refused: [], handle: null, createdAt: '' },
};
test.each<[Partial<Candidate>, boolean, string]>([
  [{}, true, 'The best that matches: just as large as it asks. The platform binds it by itself.'],
  [{ surplus: 2 ** 30 }, false, 'Matches; 1 GiB more than it asks, for nobody else to use.'],
  [{ reserved: true }, true, 'Reserved for this claim; just as large as it asks.'],
  [
    { refused: ['class', 'capacity'] },
    false,
    'Refused: it is of another class; it is smaller than what the claim asks for.',
  ],
])('a candidate %j is told as what it would mean', (part, isBest, words) =>
  expect(candidateSentence({ ...candidate, ...part }, isBest)).toBe(words),
);

test.each([
  [{ name: 'old-7', exists: true, nearest: null }, 'It names the volume old-7.'],
  [
    { name: 'odl-7', exists: false, nearest: 'old-7' },
    'It names the volume odl-7, and there is none of that name. Was old-7 meant?',
  ],
])('a volume that is named, %j, is told whether it is there', (named, words) =>
  expect(namedSentence(named)).toBe(words),
);
