import { TextField } from '@mui/material';
import { quantityWords } from '@moorage/contract/claims';
import type { RoundChange } from '@moorage/contract/rounds';
import { tunableRates, type TunableRate } from '@moorage/core/placement/tuning';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useState } from 'react';
import { tunableWords } from '../classes/words';
import { OneOf } from '../parts/OneOf';
import { useSettled } from '../parts/useSettled';

type Texts = Readonly<Record<TunableRate, string>>;
const none = Object.fromEntries(tunableRates.map((setting) => [setting, ''])) as Texts;
const isRate = (text: string) => /^\d{1,9}$/.test(text.trim());

/** What is tuned of all of them; undefined while nothing is, or while something typed is no number. */
function tuningOf(texts: Texts): RoundChange | undefined {
  const typed = tunableRates.filter((setting) => texts[setting].trim() !== '');
  if (typed.length === 0 || !typed.every((setting) => isRate(texts[setting]))) return undefined;
  return { kind: 'tune', tuned: Object.fromEntries(typed.map((setting) => [setting, Number(texts[setting])])) };
}
const asTheirClass: RoundChange = {
  kind: 'tune',
  tuned: Object.fromEntries(tunableRates.map((setting) => [setting, null])),
};

function Rate({ setting, value, set }: { setting: TunableRate; value: string; set: (text: string) => void }) {
  const [text, setText] = useSettled(value, set);
  const isWrong = text.trim() !== '' && !isRate(text);
  return (
    <TextField
      label={tunableWords[setting]}
      value={text}
      placeholder="as each has it"
      onChange={(e) => setText(e.target.value)}
      error={isWrong}
      helperText={isWrong ? 'A whole number is needed.' : undefined}
      sx={{ width: 150 }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
    />
  );
}

/** Ceilings and floors for all: those that are typed, or what the class of each has. */
export function RatesOf({ set }: { set: (change: RoundChange | undefined) => void }) {
  const [to, setTo] = useState<'rates' | 'class'>('rates');
  const [texts, setTexts] = useState<Texts>(none);
  return (
    <>
      <OneOf
        label="Each of them"
        value={to}
        options={[
          ['rates', 'gets these'],
          ['class', 'goes back to its class'],
        ]}
        choose={(chosen) => {
          setTo(chosen);
          set(chosen === 'class' ? asTheirClass : tuningOf(texts));
        }}
        width={190}
      />
      {to === 'rates' &&
        tunableRates.map((setting) => (
          <Rate
            key={setting}
            setting={setting}
            value={texts[setting]}
            set={(text) => {
              const after = { ...texts, [setting]: text };
              setTexts(after);
              set(tuningOf(after));
            }}
          />
        ))}
    </>
  );
}

/** What is to be asked for: a size for all, or so much more for each. */
export function SizeOf({
  change,
  set,
}: {
  change: Extract<RoundChange, { kind: 'grow' | 'grow-by' }>;
  set: (change: RoundChange) => void;
}) {
  const value = change.kind === 'grow' ? change.to : change.by;
  const of = (kind: 'grow' | 'grow-by', size: string): RoundChange =>
    kind === 'grow' ? { kind, to: size } : { kind, by: size };
  const [text, setText] = useSettled(value, (size) => set(of(change.kind, size)));
  const size = parseQuantity(text);
  return (
    <>
      <OneOf
        label="Each of them"
        value={change.kind}
        options={[
          ['grow-by', 'gets so much more'],
          ['grow', 'gets this size'],
        ]}
        choose={(kind) => set(of(kind as 'grow' | 'grow-by', value))}
        width={190}
      />
      <TextField
        label="Size"
        autoFocus
        value={text}
        placeholder="20Gi"
        onChange={(e) => setText(e.target.value)}
        error={text !== '' && !size.ok}
        helperText={text !== '' && !size.ok ? quantityWords[size.problem] : undefined}
        sx={{ width: 220 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
    </>
  );
}
