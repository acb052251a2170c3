/**
 * When a flow runs by itself: schedules, triggers and the live revision, on the page of its runs.
 */
import { api, attempt, post } from "./api.js";
import { byId, data, h, icon, showTimes } from "./dom.js";
import { choice, labelled, select } from "./widgets/basic.js";

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const WAYS = [
  ["day", "every day"],
  ["week", "on some days"],
  ["cron", "cron"],
  ["files", "when a file comes"],
  ["mail", "when mail comes"],
];

export class Schedules {
  constructor(place) {
    this.place = place;
    this.path = `/api/flows/${place.dataset.flow}/schedules`;
    this.revision = Number(place.dataset.revision);
    const state = data("schedule-state");
    this.schedules = state.schedules;
    this.live = state.live;
    this.mail = state.mail;
    this.adding = false;
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";
    this.fresh = {
      way: "day",
      time: "06:00",
      days: ["1"],
      cron: "0 6 * * 1-5",
      zone,
      mail: "", // nothing is taken unasked: the first folder may be where the flow's own mail goes
      sender: "",
      subject: "",
      name: "",
    };
    this.draw();
  }

  async ask(method, path, body) {
    const found = await attempt(() =>
      method === "POST" ? post(this.path + path, body) : api(this.path + path, { method }),
    );
    if (!found) return;
    Object.assign(this, found);
    this.adding = false;
    this.draw();
  }

  draw() {
    this.place.replaceChildren(
      h(
        "div",
        { class: "schedules-head" },
        h("h2", { id: "schedules-title" }, "Runs by itself"),
        h(
          "button",
          {
            type: "button",
            class: "btn btn-quiet btn-sm",
            "aria-expanded": String(Boolean(this.adding)),
            onclick: () => {
              this.adding = !this.adding;
              this.draw();
            },
          },
          icon("plus"),
          " Schedule",
        ),
      ),
      this.adding ? this.form() : "",
      this.schedules.length
        ? h(
            "ul",
            { class: "schedules" },
            this.schedules.map((one) => this.line(one)),
          )
        : h("p", { class: "muted", hidden: this.adding }, "It runs when somebody runs it."),
      this.liveLine(),
    );
    showTimes();
  }

  line(one) {
    return h(
      "li",
      { class: one.active ? null : "muted" },
      icon(one.watch ? "inbox" : "clock"),
      h("span", { class: "name" }, one.words),
      h(
        "span",
        { class: "muted small" },
        !one.active ? "switched off" : one.next ? "next " : "watching",
        one.active && one.next ? one.next_words : "",
        one.active && one.said ? `. ${one.said}` : "",
      ),
      h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          "aria-label": `${one.active ? "Switch off" : "Switch on"}: ${one.words}`,
          onclick: () => this.ask("POST", `/${one.id}`, { active: !one.active }),
        },
        one.active ? "Switch off" : "Switch on",
      ),
      h(
        "button",
        {
          type: "button",
          class: "x",
          "aria-label": `Delete: ${one.words}`,
          title: "Delete",
          onclick: () => this.ask("DELETE", `/${one.id}`),
        },
        "✕",
      ),
    );
  }

  /** Which revision runs by itself. */
  liveLine() {
    if (!this.schedules.length) return "";
    return h(
      "p",
      { class: "muted" },
      `Revision ${this.live} is live: schedules run it, whatever is changed since. `,
      this.live === this.revision
        ? ""
        : h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              onclick: () => this.ask("POST", "/live", { revision: this.revision }),
            },
            `Make revision ${this.revision} live`,
          ),
    );
  }

  form() {
    const one = this.fresh;
    const draw = () => this.draw();
    const text = (name, title, hint) =>
      labelled(
        { id: `schedule-${name}`, property: { title, description: hint } },
        h("input", {
          id: `schedule-${name}`,
          class: "form-control form-control-sm",
          type: name === "time" ? "time" : "text",
          value: one[name],
          oninput: (event) => {
            one[name] = event.target.value;
          },
        }),
      );
    const timed = ["day", "week", "cron"].includes(one.way);
    const says = h("p", { class: "said-problem", role: "alert" });
    return h(
      "form",
      {
        class: "form schedule-form",
        onsubmit: (event) => {
          event.preventDefault();
          const open = this.open();
          says.textContent = open;
          if (!open) this.ask("POST", "", this.body());
        },
      },
      choice(this.mail.length ? WAYS : WAYS.slice(0, -1), one.way, "When", (way) => {
        one.way = way;
        draw();
      }),
      one.way === "week" ? this.days() : "",
      ["day", "week"].includes(one.way) ? text("time", "At") : "",
      one.way === "cron"
        ? text("cron", "Cron expression", "minute, hour, day, month, weekday")
        : "",
      timed ? text("zone", "Time zone") : "",
      one.way === "mail"
        ? [
            labelled(
              { id: "schedule-mail", property: { title: "Mail folder" } },
              select(
                this.mail.map((name) => [name, name]),
                one.mail,
                "Mail folder",
                (name) => {
                  one.mail = name;
                },
                { id: "schedule-mail" },
              ),
            ),
            text("sender", "From", "what the sender's address holds; empty for anybody"),
            text("subject", "Subject", "what it holds; empty for any"),
            text("name", "Attachment", "its name, * for anything, such as stock*.csv"),
            h(
              "p",
              { class: "muted small" },
              "Mail that this flow sends itself, or that follows from it through another flow, does not begin it.",
            ),
          ]
        : "",
      h("button", { type: "submit", class: "btn btn-main btn-sm" }, "Add it"),
      says,
    );
  }

  days() {
    const one = this.fresh;
    return h(
      "div",
      { class: "schedule-days", role: "group", "aria-label": "Days" },
      DAYS.map((day, n) =>
        h(
          "label",
          {},
          h("input", {
            type: "checkbox",
            class: "form-check-input",
            checked: one.days.includes(String(n + 1)),
            onchange: (event) => {
              const rest = one.days.filter((known) => known !== String(n + 1));
              one.days = event.target.checked ? [...rest, String(n + 1)].sort() : rest;
            },
          }),
          ` ${day}`,
        ),
      ),
    );
  }

  /** What is still to be said before it can be added; empty where nothing is. */
  open() {
    const { way, time, days, mail } = this.fresh;
    if (way === "week" && !days.length) return "Tick the days on which it runs.";
    if (["day", "week"].includes(way) && !time) return "Say at what time it runs.";
    return way === "mail" && !mail ? "Choose the mail folder." : "";
  }

  body() {
    const { way, time, days, cron, zone, mail, sender, subject, name } = this.fresh;
    if (way === "files") return { watch: "files" };
    if (way === "mail") return { watch: `mail:${mail}`, sender, subject, name };
    const [hour, minute] = time.split(":").map(Number);
    if (way === "cron") return { cron, zone };
    return { cron: `${minute} ${hour} * * ${way === "week" ? days.join(",") : "*"}`, zone };
  }
}

if (byId("schedules")) new Schedules(byId("schedules"));
