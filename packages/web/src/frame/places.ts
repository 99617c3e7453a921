import { useLocation } from 'react-router';

/** The places of work, as the address names them. */
export const places = [
  { id: 'image', label: 'Image' },
  { id: 'compare', label: 'Compare' },
  { id: 'among', label: 'Among the parts' },
] as const;

export type Place = (typeof places)[number]['id'];

export function usePlace(): Place {
  const { pathname } = useLocation();
  const last = pathname.slice(pathname.lastIndexOf('/') + 1);
  return places.find(({ id }) => id === last)?.id ?? 'image';
}
