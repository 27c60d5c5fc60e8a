import type { Role } from '../../core/mesh/character';

/** What a mesh can be, in words. */
export const ROLE_OPTIONS: readonly { value: Role; label: string; help: string }[] = [
  { value: 'body', label: 'body', help: 'Skin: hair grows on it and lies on it.' },
  { value: 'garment', label: 'garment', help: 'Cloth that is worn: hair lies on it.' },
  { value: 'accessory', label: 'accessory', help: 'Something small that is worn: what lies close on the skin does not collide; it can sit on a tie.' },
  { value: 'prop', label: 'prop', help: 'Something that stands by: hair can touch it.' },
  { value: 'carrier', label: 'carrier', help: 'What carries the character, such as a boat: how much of its travel the hair feels is set at Sway.' },
];
