/**
 * The course: the flow from top to bottom, a lane per table, a stop per step. Its places come from
 * the server.
 */
import { byId, count, framed, h, icon, svg } from "./dom.js";

const ROW = 47,
  TOP = 0,
  COLOURS = [
    "#0f766e",
    "#b0761b",
    "#7a4b8f",
    "#3b6ea5",
    "#8c5a3c",
    "#5d7a1f",
    "#a8476a",
    "#4a6268",
  ];

export class Course {
  /** @type {import("./contract.d.ts").FlowShown} */
  state;
  /** @type {string | null} the step that was shown last */
  shown;

  /**
   * `act` has select(id), move(id, after), remove(id), rename(id), menu(id, element), toggle(id).
   */
  constructor(act) {
    this.act = act;
    this.list = byId("stops");
    this.rail = byId("rail");
    this.list.addEventListener("keydown", (event) => this.keys(event));
    this.reveal = framed(() =>
      this.list.querySelector("[aria-current=true]")?.scrollIntoView({ block: "nearest" }),
    );
  }

  /** @param {import("./contract.d.ts").FlowShown} state @param {string | null} selected */
  show(state, selected) {
    this.state = state;
    const { stops, links, lanes } = state.course;
    const gap = lanes > 1 ? Math.max(11, Math.min(18, Math.floor(84 / (lanes - 1)))) : 0;
    const x = (lane) => 18 + lane * gap;
    const y = (row) => TOP + row * ROW + ROW / 2;
    const place = Object.fromEntries(stops.map((stop) => [stop.id, stop]));
    const left = x(lanes - 1) + 14;
    document.body.style.setProperty("--rail-width", `${left}px`);
    // many lanes widen the course, not narrow its text
    document.body.style.setProperty("--course-rail", `${Math.max(0, left - 50)}px`);

    const focused = this.list.contains(document.activeElement)
      ? document.activeElement?.getAttribute("data-step")
      : null;
    this.list.style.paddingLeft = `${left}px`;
    this.list.replaceChildren(
      ...stops.map((stop) => this.stop(state.steps[stop.id], stop.id === selected)),
    );
    if (focused)
      this.list
        .querySelector(`[data-step="${CSS.escape(focused)}"]`)
        ?.focus({ preventScroll: true });

    const lines = links.map(({ source, target }) => {
      const from = place[source],
        to = place[target];
      const colour = COLOURS[from.lane % COLOURS.length];
      const [x1, y1, x2, y2] = [x(from.lane), y(from.row), x(to.lane), y(to.row)];
      const bend = Math.max(y1, y2 - ROW);
      const path =
        x1 === x2
          ? `M${x1} ${y1}V${y2}`
          : from.lane > to.lane
            ? `M${x1} ${y1}V${bend}C${x1} ${y2 - 12} ${x2} ${bend + 18} ${x2} ${y2}`
            : `M${x1} ${y1}C${x1} ${y1 + 34} ${x2} ${y1 + 10} ${x2} ${y1 + ROW - 8}V${y2}`;
      return svg("path", { d: path, class: "rail-line", stroke: colour });
    });
    const marks = stops.map((stop) =>
      mark(
        state.steps[stop.id],
        x(stop.lane),
        y(stop.row),
        COLOURS[stop.lane % COLOURS.length],
        stop.id === selected,
        gap && gap < 16 ? 5 : 6.5,
      ),
    );
    this.rail.setAttribute("width", String(left));
    this.rail.setAttribute("height", String(stops.length * ROW));
    this.rail.replaceChildren(...lines, ...marks);
    if (selected !== this.shown) this.reveal();
    this.shown = selected;
  }

  stop(step, current) {
    const rows = step.rows === undefined ? "" : count(step.rows);
    const change =
      step.status === "problem"
        ? "to mend"
        : step.status === "unfinished"
          ? "to finish"
          : step.status === "off"
            ? "off"
            : step.status === "blocked"
              ? "waits"
              : step.role === "source" && step.sample
                ? "sample"
                : (step.change ?? "");
    const said = {
      problem: "has a problem",
      unfinished: "is not finished",
      off: "switched off",
      blocked: "waits for an earlier step",
      waiting: "not computed yet",
      computing: "being computed",
    }[step.status];
    const button = h(
      "button",
      {
        type: "button",
        class: `stop stop-${step.status}`,
        dataset: { step: step.id },
        "aria-current": current ? "true" : null,
        tabindex: current ? "0" : "-1",
        title: [step.label, step.sentence, step.note, step.sample && `Sample: ${step.sample}`]
          .filter(Boolean)
          .join("\n"),
        onclick: () => this.act.select(step.id),
        oncontextmenu: (event) => {
          event.preventDefault();
          this.act.menu(step.id, button);
        },
      },
      h(
        "span",
        { class: "stop-line" },
        h(
          "span",
          { class: "stop-name" },
          step.label,
          step.note
            ? h(
                "span",
                { class: "stop-note" },
                icon("chat-left-text"),
                h("span", { class: "visually-hidden" }, "has a note"),
              )
            : null,
        ),
        h(
          "span",
          { class: step.sample ? "stop-rows stop-sample" : "stop-rows" },
          rows,
          rows
            ? h("span", { class: "visually-hidden" }, step.sample ? " rows from a sample" : " rows")
            : null,
        ),
      ),
      h(
        "span",
        { class: "stop-line" },
        h("span", { class: "stop-what" }, step.sentence),
        h(
          "span",
          { class: "stop-change" },
          change,
          said ? h("span", { class: "visually-hidden" }, ` ${said}`) : null,
        ),
      ),
    );
    if (step.status === "fresh" || step.status === "off") button.draggable = true;
    this.draggable(button, step.id);
    return h("li", {}, button);
  }

  draggable(button, id) {
    button.addEventListener("dragstart", (event) => {
      event.dataTransfer.setData("text/updraft-step", id);
      event.dataTransfer.effectAllowed = "move";
    });
    button.addEventListener("dragover", (event) => {
      if (event.dataTransfer.types.includes("text/updraft-step")) event.preventDefault();
    });
    button.addEventListener("drop", (event) => {
      const moved = event.dataTransfer.getData("text/updraft-step");
      if (moved && moved !== id) {
        event.preventDefault();
        this.act.move(moved, id);
      }
    });
  }

  /** The steps' ids from top to bottom. */
  order() {
    return this.state.course.stops.map((stop) => stop.id);
  }

  keys(event) {
    const id = event.target.dataset?.step;
    if (!id) return;
    const order = this.order(),
      at = order.indexOf(id);
    const go = { ArrowUp: at - 1, ArrowDown: at + 1, Home: 0, End: order.length - 1 }[event.key];
    if (go !== undefined && !event.altKey && order[go]) {
      event.preventDefault();
      // drawing the course anew keeps the focus where the next key has put it
      this.act.select(order[go]);
      this.focus(order[go]);
    } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
      event.preventDefault();
      const main = this.state.steps[id].main?.split(".")[0];
      const after =
        event.key === "ArrowDown"
          ? order.find((other) => this.state.steps[other].main?.split(".")[0] === id)
          : this.state.steps[main ?? ""]?.main;
      if (after) this.act.move(id, after);
    } else if (event.key === "Delete") {
      event.preventDefault();
      this.act.remove(id);
    } else if (event.key === "F2") {
      event.preventDefault();
      this.act.rename(id);
    } else if (event.key === " " && event.shiftKey) {
      event.preventDefault();
      this.act.toggle(id);
    } else if (event.key === "ContextMenu" || (event.key === "F10" && event.shiftKey)) {
      event.preventDefault();
      this.act.menu(id, event.target);
    }
  }

  focus(id) {
    this.list.querySelector(`[data-step="${CSS.escape(id)}"]`)?.focus();
  }
}

/**
 * A source is a square, a step a circle, an output a triangle; filled when fresh, hollow while it
 * waits, dashed when off.
 */
function mark(step, x, y, colour, selected, usual) {
  const size = selected ? usual + 2 : usual;
  const attributes = {
    class: `rail-mark${step.status === "off" ? " rail-off" : ""}`,
    stroke: step.status === "problem" ? "#a84d08" : colour,
    fill:
      step.status === "problem"
        ? "#a84d08"
        : step.status === "fresh"
          ? selected
            ? "#fff"
            : colour
          : "#f3f1ec",
  };
  let shape;
  if (step.role === "source")
    shape = svg("rect", {
      x: x - size,
      y: y - size,
      width: size * 2,
      height: size * 2,
      rx: 2,
      ...attributes,
    });
  else if (step.role === "output")
    shape = svg("path", {
      d: `M${x} ${y - size - 1}L${x + size + 1} ${y + size - 1}H${x - size - 1}Z`,
      "stroke-linejoin": "round",
      ...attributes,
    });
  else shape = svg("circle", { cx: x, cy: y, r: size, ...attributes });
  const group = svg("g", {}, shape);
  if (step.status === "problem") {
    const text = svg("text", { x, y: y + 4, class: "rail-bang" });
    text.textContent = "!";
    group.append(text);
  } else if (selected && step.status === "fresh")
    group.append(svg("circle", { cx: x, cy: y, r: 3, fill: colour }));
  return group;
}
