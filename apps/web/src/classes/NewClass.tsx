import type { NewClass as NewClassData } from '@moorage/contract/classes';
import { readManifestText, writeClassInto } from '@moorage/manifests/text';
import type { PlacementState } from '@moorage/contract/moorings';
import { plainClass } from '@moorage/core/classes/storage-class';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { useGo } from '../frame/address';
import { useDraft } from '../moorings/draft';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Fetched, Forbidden } from '../parts/States';
import { useNotice } from '../parts/useAct';
import { problemText } from './acts';
import { ClassForm, type Filled } from './ClassForm';

const keptUnder = 'moorage-new-class';

const start: NewClassData = {
  ...plainClass,
  name: '',
  copies: 3,
  reclaim: 'Retain',
  expansion: true,
  isDefault: false,
};

const makers = ['administrator', 'operator'] as const;

/** The text without the mark of the default: that is set in one act, which takes it from the class that has it. */
function unmarked(text: string): string {
  const object = readManifestText(text).find((o) => o.what === 'ours');
  return object?.isDefault ? writeClassInto(text, object, object.storageClass!, false) : text;
}

function Making({ state }: { state: PlacementState }) {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const { drafting, add } = useDraft();
  const [refused, setRefused] = useState<string>();
  const submit = async ({ cls, text }: Filled) => {
    setRefused(undefined);
    try {
      await ask('createFromManifest', { body: { text: unmarked(text) }, key: crypto.randomUUID() });
      if (cls.isDefault) await ask('makeDefault', { params: { name: cls.name } });
      await refresh('classes', 'placement');
      sessionStorage.removeItem(keptUnder);
      show({ kind: 'done', text: `Class ${cls.name} is made. Moor it to pools, or its claims stay pending.` });
      go('/moorings');
    } catch (error) {
      setRefused(problemText(error));
    }
  };
  return (
    <ClassForm
      state={state}
      start={start}
      kept={keptUnder}
      taken={(name) =>
        state.classes.some((c) => c.name === name) ? 'A class of this name exists already.' : undefined
      }
      refused={refused}
      verb="Make class"
      onSubmit={submit}
      more={
        drafting
          ? {
              verb: 'Add to the draft',
              act: ({ cls }) => {
                sessionStorage.removeItem(keptUnder);
                add(state, { kind: 'class', storageClass: cls });
                go('/moorings');
              },
            }
          : undefined
      }
    />
  );
}

export default function NewClass() {
  const query = usePlacement();
  if (!useMay(...makers)) return <Forbidden what="Making classes" who={makers} />;
  return (
    <Place title="New class" question="Each answer shows what it brings about, on the pools as they are now.">
      <Fetched query={query}>{(state) => <Making state={state} />}</Fetched>
    </Place>
  );
}
