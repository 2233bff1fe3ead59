import { FileButton } from '@mantine/core';
import { useState } from 'react';
import { act, answered } from '../../api/act';
import { type LineView, api } from '../../api/client';
import { wav } from '../../lines/microphone';
import { Hint } from '../../widgets/Hint';
import { NumberField } from '../../widgets/NumberField';
import { Press } from '../../widgets/Press';
import { tell } from '../../widgets/tell';
import { filmAddress } from '../FilmView';
import css from './bench.module.css';

/** The sound of a film as a recording of its own. */
async function soundOf(address: string): Promise<File> {
  const bytes = await (await fetch(address)).arrayBuffer();
  const context = new OfflineAudioContext(1, 1, 48_000);
  let sound: AudioBuffer;
  try {
    sound = await context.decodeAudioData(bytes);
  } catch (error) {
    throw new Error('The film has no sound that can be read.', { cause: error });
  }
  const mix = new Float32Array(sound.length);
  for (let c = 0; c < sound.numberOfChannels; c++) {
    sound.getChannelData(c).forEach((v, i) => {
      mix[i] = (mix[i] ?? 0) + v / sound.numberOfChannels;
    });
  }
  return new File([wav(mix, sound.sampleRate)], 'sound of the film.wav', { type: 'audio/wav' });
}

/** The actor's film: brought in, moved against the sound, its sound taken as a take. */
export function FilmPart({ line }: { line: LineView }) {
  const { id } = line.summary;
  const { film } = line.document;
  const [busy, setBusy] = useState(false);
  const bring = async (file: File | null) => {
    if (!file) return;
    setBusy(true);
    await answered(api.addFilm(id, file));
    setBusy(false);
  };
  const take = () => {
    const address = filmAddress(line);
    if (!address) return;
    setBusy(true);
    soundOf(address)
      .then((file) => answered(api.addTake(id, file)))
      .catch(tell)
      .finally(() => setBusy(false));
  };
  return (
    <>
      <Hint says="A film of the actor, MP4, WebM or MOV: it plays beside the stage, on the same frame, without its sound.">
        <h3>Reference film</h3>
      </Hint>
      <div className={css.row}>
        <FileButton accept="video/mp4,video/webm,video/quicktime,.mov" onChange={(file) => void bring(file)}>
          {(props) => (
            <Press {...props} disabled={busy} testId="bring-film">
              {busy ? 'One moment …' : film ? 'Another …' : 'Bring one in …'}
            </Press>
          )}
        </FileButton>
        {film && (
          <Press kind="quiet" testId="delete-film" onClick={() => void act(id, { do: 'film' })}>
            Delete
          </Press>
        )}
      </div>
      {film && (
        <div className={css.row}>
          <NumberField
            labelled
            label="starts at"
            suffix=" s"
            step={0.04}
            width={74}
            testId="film-offset"
            value={film.offset ?? 0}
            onChange={(offset) => void act(id, { do: 'film', film: { id: film.id, offset } })}
          />
          <Press kind="link" disabled={busy} hint="Its sound as another take of the line" onClick={take}>
            use its sound
          </Press>
        </div>
      )}
    </>
  );
}
