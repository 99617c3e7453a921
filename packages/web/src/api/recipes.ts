import * as z from 'zod/mini';
import { request } from './request.ts';

const recipe = z.object({
  id: z.string(),
  name: z.string(),
  file: z.record(z.string(), z.unknown()) as unknown as z.ZodMiniType<object>,
});

/** A recipe of the engineer's own, as an image file. */
export type KeptRecipe = z.output<typeof recipe>;

export const listRecipes = () => request('GET', '/api/recipes', z.array(recipe));
export const keepRecipe = (kept: KeptRecipe) => request('POST', '/api/recipes', recipe, kept);
export const removeRecipe = (id: string) => request<void>('DELETE', `/api/recipes/${id}`, null);
