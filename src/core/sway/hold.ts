/** Hold: how strongly a point is drawn to the combed shape that the skin carries. */
import type { SwaySettings } from '../document/schema';
import { profileAt } from '../math/profile';

/** Stiffest hold, as the frequency in Hz at which a held point would swing. */
const HOLD_FREQUENCY = 30;

/** From here on a point is moved with the skin, not drawn to it. */
export const FIXED_HOLD = 0.999;

/** Angular frequency (rad/s) at which a point held by `hold`, 0 … 1, would swing. Common practice, no source. */
export const holdRate = (hold: number): number => 2 * Math.PI * HOLD_FREQUENCY * Math.pow(hold, 1.5);

/** How strongly a point is held, by its share of the length from the root. */
export const holdAt = (settings: Pick<SwaySettings, 'hold' | 'profiles'>, share: number): number => Math.min(1, settings.hold * profileAt(settings.profiles.hold, share));
