import { useQueries, useQuery } from '@tanstack/react-query';
import { type DeliveryChoices, type LineSummary, type Recipe, api, speaks } from '../api/client';
import { go, set, useView } from '../state';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { count } from '../widgets/words';
import { tell } from '../widgets/tell';
import { Delivered } from './Delivered';
import { FramesPart } from './FramesPart';
import { KindsPart } from './KindsPart';
import { LinesPart } from './LinesPart';
import { makeMovies } from './movies';
import { NamesPart } from './NamesPart';
import { order, useOrder } from './order';
import { RecipesPart } from './RecipesPart';
import css from './DeliverPage.module.css';

/** Of more lines than these findings are not asked for before delivery. */
const LOOKED_AT = 12;

export function DeliverPage() {
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  const choices = useQuery({ queryKey: ['deliveries', 'choices'], queryFn: api.deliveryChoices });
  return (
    <main className={css.page}>
      <Asked query={choices}>
        {(choices) => <Asked query={lines}>{(lines) => <Order lines={lines} choices={choices} />}</Asked>}
      </Asked>
    </main>
  );
}

function Order({ lines, choices }: { lines: LineSummary[]; choices: DeliveryChoices }) {
  const { lines: chosen, recipe: own } = useOrder();
  const open = useView((s) => s.line);
  const recipe = own ?? choices.usual;
  const ready = lines.filter(speaks);
  // Nothing but the open line goes out unless somebody says so.
  const ids = new Set(chosen ?? [open]);
  const going = ready.filter((l) => ids.has(l.id));
  const change = (recipe: Recipe) => order({ recipe });
  return (
    <>
      <LinesPart lines={lines} going={going} />
      <section className={css.what}>
        <RecipesPart choices={choices} recipe={recipe} />
        <KindsPart choices={choices} recipe={recipe} change={change} line={going[0] ?? ready[0]} />
        <FramesPart recipe={recipe} change={change} lines={going} />
        <NamesPart choices={choices} recipe={recipe} change={change} line={going[0] ?? ready[0]} />
        <Off going={going} recipe={recipe} choices={choices} />
      </section>
      <Delivered lines={lines} />
    </>
  );
}

/** What goes out, what speaks against it, and the button. */
function Off({ going, recipe, choices }: { going: LineSummary[]; recipe: Recipe; choices: DeliveryChoices }) {
  const onlyChanged = useOrder((s) => s.onlyChanged);
  const kinds = recipe.kinds.length + Number(recipe.movie != null) + Number(recipe.timeline != null);
  const lacking = going.filter((l) => !l.character);
  const moves = choices.kinds.some((k) => k.moves && recipe.kinds.includes(k.kind));
  const deliver = async () => {
    try {
      await api.deliver(
        going.map((l) => l.id),
        recipe,
        onlyChanged,
      );
      if (recipe.movie) makeMovies(going, recipe, choices.movies);
    } catch (error) {
      tell(error);
    }
  };
  return (
    <div className={css.off}>
      <Press
        kind="main"
        size="sm"
        testId="deliver"
        disabled={going.length === 0 || kinds === 0}
        onClick={() => void deliver()}
      >
        {going.length === 0 ? 'Choose lines first' : `Deliver ${count(going.length, 'line')}`}
      </Press>
      <div className={css.before}>
        <span>
          {kinds === 0
            ? 'Choose what goes out.'
            : `${count(kinds, 'kind')} of files${moves && !recipe.kinds.includes('wav') ? ', and the sound beside the motion' : ''}`}
        </span>
        {lacking.length > 0 && (
          <span className={css.against}>
            {count(lacking.length, 'line')} without a character: words and tables only
          </span>
        )}
        <Findings lines={going} />
      </div>
    </div>
  );
}

/** What the check list would say, before it goes out. */
function Findings({ lines }: { lines: LineSummary[] }) {
  const looked = lines.length <= LOOKED_AT ? lines : [];
  const found = useQueries({
    queries: looked.map((l) => ({
      queryKey: ['findings', l.id, 'deliver'],
      queryFn: () => api.findings(l.id),
      staleTime: 0,
    })),
  });
  const doubtful = lines.filter((l) => l.doubtful_words > 0).length;
  if (lines.length > LOOKED_AT) {
    return <span>{doubtful > 0 && `${count(doubtful, 'line')} with doubtful words`}</span>;
  }
  const matters = looked.flatMap((line, i) => {
    const open = (found[i]?.data ?? []).filter((f) => !f.dismissed);
    return open.length > 0 ? [{ line, open }] : [];
  });
  if (matters.length === 0) {
    return found.some((f) => f.isLoading) ? <span>Looking through the lines …</span> : null;
  }
  return (
    <span className={css.against} data-testid="against">
      Would go out unmended:{' '}
      {matters.map(({ line, open }, i) => (
        <span key={line.id}>
          {i > 0 && ' · '}
          <button
            className={css.look}
            onClick={() => {
              go('score', line.id);
              set({ bench: 'check' });
            }}
          >
            {line.name ?? `line ${line.number}`}, {count(open.length, 'finding')}
          </button>
        </span>
      ))}
    </span>
  );
}
