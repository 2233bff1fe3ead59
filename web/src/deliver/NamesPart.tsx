import { TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type DeliveryChoices, type LineSummary, type Recipe, api, sentence } from '../api/client';
import { Hint } from '../widgets/Hint';
import { Problem } from '../widgets/Problem';
import css from './DeliverPage.module.css';

/** What files are called, with an example of the line that goes out first. */
export function NamesPart({
  choices,
  recipe,
  change,
  line,
}: {
  choices: DeliveryChoices;
  recipe: Recipe;
  change: (recipe: Recipe) => void;
  line: LineSummary | undefined;
}) {
  const asked = useQuery({
    queryKey: ['names', line?.id, recipe],
    queryFn: () => (line ? api.deliveryNames(line.id, recipe) : null),
    staleTime: 0,
    retry: false,
    placeholderData: (before) => before,
  });
  const add = (word: string) => change({ ...recipe, names: `${recipe.names}{${word}}` });
  return (
    <section>
      <h2>Names</h2>
      <TextInput
        aria-label="Template of file names"
        data-testid="names"
        value={recipe.names}
        onChange={(event) => change({ ...recipe, names: event.currentTarget.value })}
      />
      <div className={css.namewords}>
        {choices.words.map((w) => (
          <Hint key={w.word} says={w.text}>
            <button onClick={() => add(w.word)}>{`{${w.word}}`}</button>
          </Hint>
        ))}
      </div>
      {asked.error ? (
        <Problem>{sentence(asked.error)}</Problem>
      ) : (
        <p className="soft small" data-testid="name-example">
          {asked.data ? asked.data.name : ' '}
        </p>
      )}
    </section>
  );
}
