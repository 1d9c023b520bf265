// Shapes of the sheet that the hand draws over it.
const SVG = "http://www.w3.org/2000/svg";

export function shape(name, attributes, text) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text) made.textContent = text;
  return made;
}

/** Shapes in pixels of the screen, at a place of the sheet in centimetres. */
export function upright([x, y], shapes) {
  const mark = shape("g", { transform: `translate(${x} ${y})` });
  const group = shape("g", { class: "upright" });
  group.append(...shapes);
  mark.append(group);
  return mark;
}
