/** In a thread of its own: templates are filled in. Whoever writes one chooses how long that takes. */
import { serve } from '../threads/thread.ts';
import { fillHere, type Fill, type Filled } from './fill-here.ts';

serve((fills: Fill[]): Filled[] => fills.map(fillHere));
