import { hasPage } from '../form/definitions.ts';
import { type Form, forms } from '../name/form.ts';

/** For a rule that looks at artifacts of every form. */
export const allForms: readonly Form[] = forms;

/** The forms that an index shows a page of. */
export const formsWithPage: readonly Form[] = forms.filter(hasPage);

/** Every form but these. */
export function formsBut(...left: readonly Form[]): readonly Form[] {
  return forms.filter((form) => !left.includes(form));
}
