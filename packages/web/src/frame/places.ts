import { useLocation } from 'react-router';

/** The places of work, as the address names them. */
export const places = [
  { id: 'song', label: 'Song' },
  { id: 'image', label: 'Part' },
  { id: 'takes', label: 'Takes' },
  { id: 'compare', label: 'Compare' },
  { id: 'among', label: 'Among the parts' },
] as const;

export type Place = (typeof places)[number]['id'];

/** The place that an address leads to. */
export function placeOf(pathname: string): Place {
  const last = pathname.slice(pathname.lastIndexOf('/') + 1);
  return places.find(({ id }) => id === last)?.id ?? 'image';
}

export function usePlace(): Place {
  return placeOf(useLocation().pathname);
}
