import { lacksPatterns, loadPatterns } from '$lib/core/formula/functions/patterns';
import { knowFormulas, loadGrammar } from '$lib/core/formula/reading';
import type { Formulas } from '$lib/core/formula/syntax';
import type { Plan } from '$lib/core/plan/schema';

/**
 * Brings what the formulas of a form need before it is wired: the trees that came with it, or the grammar where none
 * came; and the patterns of texts where it asks for any.
 */
export async function formulasReady(plan: Plan, read: Formulas | null): Promise<void> {
  const patterns = lacksPatterns(plan) ? loadPatterns() : null;
  if (read) knowFormulas(read);
  else await loadGrammar();
  await patterns;
}
