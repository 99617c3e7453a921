import { request } from './request.ts';

/** A recipe of the engineer's own, as an image file. */
export interface KeptRecipe {
  readonly id: string;
  readonly name: string;
  readonly file: object;
}

export const listRecipes = () => request<KeptRecipe[]>('GET', '/api/recipes');
export const keepRecipe = (recipe: KeptRecipe) =>
  request<KeptRecipe>('POST', '/api/recipes', recipe);
export const removeRecipe = (id: string) => request<void>('DELETE', `/api/recipes/${id}`);
