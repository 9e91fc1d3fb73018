/** Documents that go on from one another: what a hand moves is said as places with their new values. */

/** A value and its place: names of fields and places in lists, from the whole document inwards. */
export interface Change {
  path: (string | number)[];
  value: unknown;
}

/** Of more, the whole document is sent. */
export const MOST_CHANGES = 64;

/** What is different in a document; whatever two documents share is not looked at. */
export function changesBetween(before: unknown, after: unknown): Change[] {
  const found: Change[] = [];
  collect(before, after, [], found);
  return found;
}

function collect(before: unknown, after: unknown, path: Change["path"], found: Change[]): void {
  if (before === after) return;
  if (Array.isArray(before) && Array.isArray(after) && before.length === after.length)
    after.forEach((value, i) => collect(before[i], value, [...path, i], found));
  else if (isRecord(before) && isRecord(after) && haveSameFields(before, after))
    for (const name of fieldsOf(after)) collect(before[name], after[name], [...path, name], found);
  else found.push({ path, value: after });
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** What is undefined does not go over the wire. */
function fieldsOf(record: Record<string, unknown>): string[] {
  return Object.keys(record).filter((name) => record[name] !== undefined);
}

function haveSameFields(one: Record<string, unknown>, other: Record<string, unknown>): boolean {
  const names = fieldsOf(one);
  return names.length === fieldsOf(other).length && names.every((name) => other[name] !== undefined);
}

/** The document with every change made. */
export function patched<Document>(document: Document, changes: Change[]): Document {
  return changes.reduce<unknown>((made, { path, value }) => put(made, path, 0, value), document) as Document;
}

function put(document: unknown, path: Change["path"], depth: number, value: unknown): unknown {
  const step = path[depth];
  if (step === undefined) return value;
  if (Array.isArray(document))
    return document.map((one: unknown, i) => (i === step ? put(one, path, depth + 1, value) : one));
  const fields = document as Record<string, unknown>;
  return { ...fields, [step]: put(fields[step], path, depth + 1, value) };
}
