/**
 * What was detected in a file comes as an event on the form's element; what is known already comes
 * at once.
 * @param {import("../forms.js").Field} field
 * @param {(found: import("./found.d.ts").Found) => void} act
 */
export function whenDetected(field, act) {
  queueMicrotask(() => {
    field.form.element.addEventListener("detected", ({ detail }) => act(detail));
    if (field.form.found) act(field.form.found);
  });
}
