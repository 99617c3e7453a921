import { Injectable } from '@nestjs/common';
import { readImageFile, writeImageFile } from '@pannet/core/image/image-file';
import { DataSource, type Repository } from 'typeorm';
import { ownerOf, type Visitor } from '../accounts/visitor.ts';
import { notFound, Problem } from '../problems/problem.ts';
import { RecipeEntity } from './recipe.entity.ts';

/** A recipe as it is sent; the file is whole. */
export interface KeptRecipe {
  readonly id: string;
  readonly name: string;
  readonly file: object;
}

/** So many are kept at most. */
const mostRecipes = 200;
/** A recipe is not of one song: rate and takes are checked, as with any image, by the song that it is given to. */
const highestRateHz = 192_000;
const anyTakes = 99;

@Injectable()
export class RecipesService {
  readonly #recipes: Repository<RecipeEntity>;

  constructor(data: DataSource) {
    this.#recipes = data.getRepository(RecipeEntity);
  }

  /** Those of the one who asks. */
  async list(visitor: Visitor): Promise<KeptRecipe[]> {
    const kept = await this.#recipes.find({
      where: theirs(visitor),
      order: { name: 'ASC', createdAt: 'ASC' },
    });
    return kept.map(({ id, name, file }) => ({ id, name, file }));
  }

  /** @throws Problem 422 with the reader's sentence for a file that is no image */
  async keep(visitor: Visitor, { id, name, file }: KeptRecipe): Promise<KeptRecipe> {
    const title = name.trim();
    if (title === '')
      throw new Problem(422, {
        code: 'bad-name',
        sentence: 'A recipe has a name of 1 to 80 characters.',
      });
    const read = readImageFile(file, highestRateHz, anyTakes);
    if (!read.ok) throw new Problem(422, read.error);
    if ((await this.#recipes.countBy(theirs(visitor))) >= mostRecipes)
      throw new Problem(422, {
        code: 'too-many',
        sentence: `At most ${mostRecipes} recipes are kept; remove one first.`,
      });
    // A recipe is for any takes: what is said of some by themselves is not kept with it.
    const { panLaw, preparation, image } = read.value;
    const written = writeImageFile({ name: title, panLaw, preparation, image });
    const kept = { id, name: title, file: written };
    await this.#recipes
      .createQueryBuilder()
      .insert()
      .values({ ...kept, ownerId: ownerOf(visitor) })
      .orIgnore()
      .execute();
    return kept;
  }

  async remove(visitor: Visitor, id: string): Promise<void> {
    const { affected } = await this.#recipes.delete({ id, ...theirs(visitor) });
    if (!affected) throw notFound('There is no such recipe; it may have been removed.');
  }
}

function theirs(visitor: Visitor): object {
  return visitor.kind === 'account' ? { ownerId: visitor.id } : {};
}
