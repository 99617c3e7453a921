import { DownloadSimple, Trash, UploadSimple } from '@phosphor-icons/react';
import { readImageFile, withImpulses, writeImageFile } from '@pannet/core/image/image-file';
import type { Part } from '@pannet/core/song/song';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { keepRecipe, listRecipes, removeRecipe, type KeptRecipe } from '../api/recipes.ts';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { download } from '../handoff/export-run.ts';
import { usePanLaw, useRate, useSession } from '../session/use-open-song.ts';
import { impulseNamed } from './own-impulses.ts';
import { RecipeRow } from './RecipeRow.tsx';

const recipesKey = ['recipes'];

/** The engineer's own recipes: kept from a part, brought in and taken away as image files. */
export function OwnRecipes({ part }: { readonly part: Part }) {
  const panLaw = usePanLaw();
  const rateHz = useRate();
  const queries = useQueryClient();
  const own = useQuery({ queryKey: recipesKey, queryFn: listRecipes });
  const [name, setName] = useState<string | null>(null);
  const picker = useRef<HTMLInputElement>(null);
  const fresh = () => queries.invalidateQueries({ queryKey: recipesKey });
  const failed = (error: unknown) => say(sentenceOf(error));
  const keep = useMutation({
    mutationFn: keepRecipe,
    onSuccess: ({ name: kept }) => {
      setName(null);
      say(`“${kept}” is kept among your recipes.`);
      return fresh();
    },
    onError: failed,
  });
  const remove = useMutation({
    mutationFn: ({ id }: KeptRecipe) => removeRecipe(id),
    onSuccess: (_, recipe) => {
      say(`“${recipe.name}” is removed.`, {
        label: 'Undo',
        run: () => keep.mutate({ ...recipe, id: crypto.randomUUID() }),
      });
      return fresh();
    },
    onError: failed,
  });
  const keepThis = () => {
    const { preparation, image } = part;
    const file = writeImageFile({ name: null, panLaw, preparation, image });
    keep.mutate({ id: crypto.randomUUID(), name: name ?? '', file });
  };
  const bring = async (file: File) => {
    let json: unknown;
    try {
      json = JSON.parse(await file.text());
    } catch {
      say(`“${file.name}” is not an image file: it is not JSON.`);
      return;
    }
    const read = readImageFile(json, rateHz, part.takes.length);
    if (!read.ok) {
      say(`“${file.name}”: ${read.error.sentence}`);
      return;
    }
    const title = read.value.name ?? file.name.replace(/(\.pannet-image)?\.json$/, '');
    keep.mutate({ id: crypto.randomUUID(), name: title.slice(0, 80), file: json as object });
  };
  const song = useSession(({ song: kept }) => kept);
  const takes = part.takes.length;
  const files = useMemo(
    () =>
      own.data?.map((recipe) => {
        const file = readImageFile(recipe.file, rateHz, takes);
        if (!file.ok) return { recipe, file: null };
        // Impulse responses that a file calls by name are those of this song.
        const image = withImpulses(file.value.image, (called) => impulseNamed(song, called));
        return { recipe, file: { ...file.value, image } };
      }),
    [own.data, rateHz, takes, song],
  );
  return (
    <>
      <h3 className="panel-heading d-flex align-items-center">
        <span className="flex-grow-1">Yours</span>
        <input
          ref={picker}
          type="file"
          hidden
          accept=".json,application/json"
          aria-label="Image file to bring in"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            event.target.value = '';
            if (file) void bring(file);
          }}
        />
        <Button
          className="btn-tool"
          variant="light"
          title="Bring in an image file as a recipe"
          aria-label="Bring in an image file as a recipe"
          onClick={() => picker.current?.click()}
        >
          <UploadSimple aria-hidden />
        </Button>
      </h3>
      {own.isPending && <p className="quiet small">Looking …</p>}
      {own.isError && (
        <p className="small" role="alert">
          Your recipes cannot be shown: {sentenceOf(own.error)}{' '}
          <Button size="sm" variant="outline-primary" onClick={() => void own.refetch()}>
            Try again
          </Button>
        </p>
      )}
      {files?.map(({ recipe, file }) => (
        <RecipeRow
          key={recipe.id}
          id={recipe.id}
          partId={part.id}
          partName={part.name}
          name={recipe.name}
          sentence={file ? null : 'It has more takes than this part, or delays beyond its rate.'}
          image={file?.image ?? null}
          preparation={file?.preparation}
        >
          <Button
            className="btn-tool"
            variant="light"
            title="Save as an image file"
            aria-label={`Save ${recipe.name} as an image file`}
            onClick={() =>
              download(
                new Blob([`${JSON.stringify(recipe.file, null, 2)}\n`], {
                  type: 'application/json',
                }),
                `${recipe.name}.pannet-image.json`,
              )
            }
          >
            <DownloadSimple aria-hidden />
          </Button>
          <Button
            className="btn-tool"
            variant="light"
            title="Remove"
            aria-label={`Remove ${recipe.name}`}
            onClick={() => remove.mutate(recipe)}
          >
            <Trash aria-hidden />
          </Button>
        </RecipeRow>
      ))}
      {name === null ? (
        <Button
          size="sm"
          variant="outline-primary"
          className="w-100 mt-2"
          onClick={() => setName(part.name)}
        >
          Keep this image as a recipe …
        </Button>
      ) : (
        <form
          className="d-flex gap-1 mt-2"
          onSubmit={(event) => {
            event.preventDefault();
            keepThis();
          }}
        >
          <input
            className="form-control form-control-sm"
            aria-label="Name of the recipe"
            autoFocus
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
            onKeyDown={(event) => event.key === 'Escape' && setName(null)}
          />
          <Button type="submit" size="sm" disabled={name.trim() === '' || keep.isPending}>
            Keep
          </Button>
        </form>
      )}
    </>
  );
}
