import type { DeliveryChoices, Recipe } from '../api/client';
import { produce } from '../api/production';
import { Press } from '../widgets/Press';
import { TextField } from '../widgets/TextField';
import { order, useOrder } from './order';
import css from './DeliverPage.module.css';

/** How the production delivers, by name: taken up, kept and deleted. */
export function RecipesPart({ choices, recipe }: { choices: DeliveryChoices; recipe: Recipe }) {
  const called = useOrder((s) => s.called);
  const keep = async (name: string) => {
    if (await produce({ do: 'keep_recipe', name, recipe: recipe as unknown as Record<string, never> })) {
      order({ called: name });
    }
  };
  const take = (name: string | null, own: Recipe) => order({ called: name, recipe: own });
  const one = choices.recipes.find((r) => r.name === called);
  return (
    <div className={css.recipes}>
      <span className="soft small">Recipe</span>
      <Press kind="chip" pressed={!one} onClick={() => take(null, choices.usual)}>
        Usual
      </Press>
      {choices.recipes.map((r) => (
        <Press
          key={r.name}
          kind="chip"
          pressed={called === r.name}
          testId={`recipe-${r.name}`}
          onClick={() => take(r.name, r.recipe)}
        >
          {r.name}
        </Press>
      ))}
      <TextField
        key={called}
        label="Name to keep this recipe under"
        placeholder="Keep as …"
        value={called ?? ''}
        testId="recipe-name"
        onSubmit={(name) => void keep(name)}
      >
        {(text) => (
          <Press type="submit" disabled={!text.trim()}>
            Keep
          </Press>
        )}
      </TextField>
      {one && (
        <Press
          kind="quiet"
          onClick={() => {
            void produce({ do: 'delete_recipe', name: one.name });
            order({ called: null });
          }}
        >
          Delete
        </Press>
      )}
    </div>
  );
}
