/** Small and large pictures of columns, as SVG. */
import { count, h, svg } from "./dom.js";

/** A strip of bars: the histogram of numbers and dates, or the most frequent values. */
export function picture(column, width = 120, height = 22) {
  const heights = column.histogram?.counts ?? (column.most ?? []).map(([, n]) => n);
  // A few values are no wide bars: only a histogram fills its strip.
  const most = Math.max(...heights, 1),
    step = width / Math.max(heights.length, column.histogram ? 1 : 20);
  return svg(
    "svg",
    {
      class: "strip",
      viewBox: `0 0 ${width} ${height}`,
      width,
      height,
      "aria-hidden": "true",
      preserveAspectRatio: "none",
    },
    ...heights.map((n, at) =>
      svg("rect", {
        x: at * step,
        y: height - Math.max((n / most) * height, n ? 1 : 0),
        width: Math.max(step - 1, 0.6),
        height: Math.max((n / most) * height, n ? 1 : 0),
      }),
    ),
  );
}

/**
 * A histogram with a range to drag. `chosen(from, to)` is called with edges once a range is drawn;
 * keys move its ends.
 */
export function rangeHistogram(found, range, chosen, last = /** @type {string | null} */ (null)) {
  const width = 312,
    height = 118,
    base = height - 16,
    most = Math.max(...found.counts, 1),
    bins = found.counts.length,
    step = width / Math.max(bins, 1);
  const bars = found.counts.map((n, at) => {
    const tall = n ? Math.max((n / most) * (base - 6), 1.5) : 0;
    return svg(
      "rect",
      {
        class: "hist-bar",
        "data-bin": at,
        x: at * step + 0.5,
        y: base - tall,
        width: Math.max(step - 1, 0.6),
        height: tall,
      },
      svgTitle(`${found.labels[at]} to ${found.labels[at + 1]}: ${count(n)}`),
    );
  });
  const shade = svg("rect", { class: "range", y: 0, height: base, x: 0, width: 0 });
  const picture = svg(
    "svg",
    {
      class: "histogram",
      viewBox: `0 0 ${width} ${height}`,
      role: "img",
      "aria-label": `Histogram from ${found.labels[0]} to ${found.labels.at(-1)}`,
    },
    shade,
    ...bars,
    svg("line", { class: "axis", x1: 0, x2: width, y1: base + 0.5, y2: base + 0.5 }),
    text(0, height - 4, "start", found.labels[0]),
    text(width, height - 4, "end", last ?? found.labels.at(-1)),
    text(width / 2, height - 4, "middle", bins > 3 ? found.labels[Math.round(bins / 2)] : ""),
  );
  const show = (a, b) => {
    shade.setAttribute("x", String(a * step));
    shade.setAttribute("width", String((b - a) * step));
    bars.forEach((bar, n) => bar.classList.toggle("inside", n >= a && n < b));
  };
  if (range) show(...range);
  const place = (event) => {
    const box = picture.getBoundingClientRect();
    return Math.max(
      0,
      Math.min(bins - 1, Math.floor(((event.clientX - box.left) / box.width) * bins)),
    );
  };
  if (!chosen) {
    picture.classList.add("still");
    return h("div", { class: "histogram-box" }, picture);
  }
  picture.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    picture.setPointerCapture(event.pointerId);
    const start = place(event);
    let ends = [start, start + 1];
    show(...ends);
    picture.onpointermove = (move) => {
      const now = place(move);
      ends = [Math.min(start, now), Math.max(start, now) + 1];
      show(...ends);
    };
    picture.onpointerup = () => {
      picture.onpointermove = picture.onpointerup = null;
      chosen(...ends);
    };
  });
  return h("div", { class: "histogram-box" }, picture);
}

export function scatterPicture(points, across, up) {
  const size = 300,
    pad = 8,
    xs = points.map(([x]) => x),
    ys = points.map(([, y]) => y);
  const scale = (values) => {
    const low = Math.min(...values),
      wide = Math.max(...values) - low || 1;
    return (v) => (v - low) / wide;
  };
  const x = scale(xs),
    y = scale(ys);
  return svg(
    "svg",
    {
      class: "scatter",
      viewBox: `0 0 ${size} ${size * 0.62}`,
      role: "img",
      "aria-label": `Scatter of ${across} and ${up}`,
    },
    ...points.map(([a, b]) =>
      svg("circle", {
        r: 1.8,
        cx: pad + x(a) * (size - 2 * pad),
        cy: size * 0.62 - pad - y(b) * (size * 0.62 - 2 * pad),
      }),
    ),
  );
}

const text = (x, y, anchor, label) => {
  const element = svg("text", { x, y, "text-anchor": anchor });
  element.textContent = label;
  return element;
};
function svgTitle(words) {
  const element = svg("title");
  element.textContent = words;
  return element;
}
