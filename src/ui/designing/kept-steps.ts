import { get, set } from 'idb-keyval';
import { z } from 'zod';
import { planSchema, type Plan } from '$lib/core/plan/schema';

/** The steps of undo and redo around a plan. */
export interface Steps {
  plan: Plan;
  past: readonly Plan[];
  future: readonly Plan[];
}

/** As it stands in the browser: a plan of another version of the product is none any more. */
const keptSchema = z.object({
  plan: z.string(),
  past: z.array(planSchema),
  future: z.array(planSchema),
});

const mostKept = 200;
const timers = new Map<string, ReturnType<typeof setTimeout>>();

/** Keeps the steps of a form in this browser, a moment after the last change. */
export function keepSteps(form: string, { plan, past, future }: Steps): void {
  clearTimeout(timers.get(form));
  const keep = async () => {
    const steps = { past: past.slice(-mostKept), future: future.slice(0, mostKept) };
    try {
      await set(name(form), { plan: JSON.stringify(plan), ...steps });
    } catch {
      // Where nothing can be kept, undo ends with the page.
    }
  };
  timers.set(
    form,
    setTimeout(() => void keep(), 400),
  );
}

/** The steps kept for a form, with the plan that they lead to; `null` where there are none that can be read. */
export async function recallSteps(form: string): Promise<z.infer<typeof keptSchema> | null> {
  try {
    return keptSchema.safeParse(await get<unknown>(name(form))).data ?? null;
  } catch {
    return null;
  }
}

function name(form: string): string {
  return `unisor:steps:${form}`;
}
