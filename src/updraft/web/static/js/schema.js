/** Reading JSON Schemas as pydantic writes them. */

/** A property with its $ref or its one real alternative (not null) followed. */
export function resolved(property, schema) {
  if (property.$ref) return resolved(schema.$defs[property.$ref.split("/").pop()], schema);
  if (property.anyOf)
    return resolved(property.anyOf.find((part) => part.type !== "null") ?? {}, schema);
  return property;
}
