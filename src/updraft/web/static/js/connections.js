/** The page of connections: make, change, delete. Saving tests the connection first. */
import { api, attempt, notice, post, ProblemError } from "./api.js";
import { byId, data, h } from "./dom.js";
import { choice, labelled, select } from "./widgets/basic.js";

const known = data("connections");

const MAY = (more) => [
  "writes",
  "Flows may",
  {
    options: [
      ["no", "only read"],
      ["yes", more],
    ],
  },
];

const FIELDS = {
  database: [
    [
      "dialect",
      "Database system",
      {
        options: [
          ["postgresql", "PostgreSQL"],
          ["mysql", "MySQL or MariaDB"],
          ["sqlite", "SQLite file"],
          ["other", "by URL"],
        ],
      },
    ],
    ["host", "Host", { when: ["postgresql", "mysql"], start: "localhost" }],
    ["port", "Port", { when: ["postgresql", "mysql"], hint: "the usual one" }],
    ["database", "Database", { when: ["postgresql", "mysql"] }],
    ["user", "User", { when: ["postgresql", "mysql"] }],
    ["database", "Path of the file", { when: ["sqlite"] }],
    ["url", "URL", { when: ["other"], hint: "dialect+driver://user@host/database, no password" }],
    ["secret", "Password", { when: ["postgresql", "mysql", "other"], secret: true }],
    MAY("read and write"),
  ],
  web: [
    ["url", "Address", { hint: "https://…; paths in flows come after it" }],
    [
      "auth",
      "Let in by",
      {
        options: [
          ["none", "nothing"],
          ["basic", "user and password"],
          ["bearer", "token"],
          ["key", "key"],
        ],
      },
    ],
    ["user", "User", { when: ["basic"] }],
    ["key_name", "Name of the key", { when: ["key"], start: "X-API-Key" }],
    [
      "key_in",
      "Sent in",
      {
        when: ["key"],
        options: [
          ["header", "a header"],
          ["query", "the address"],
        ],
      },
    ],
    ["secret", "Password, token or key", { when: ["basic", "bearer", "key"], secret: true }],
    ["per_minute", "Requests a minute, at most", { hint: "no limit" }],
    MAY("ask and send"),
  ],
  mail: [
    ["path", "Folder", { hint: "in Maildir form, on this machine" }],
    MAY("read, and put messages in"),
  ],
  cluster: [
    ["place", "Address", { hint: "spark://host:7077" }],
    ["folder", "Folder for parts", { hint: "that all its machines and this one see" }],
  ],
};

function edit(connection) {
  const old = connection?.name ?? "",
    values = {
      kind: "database",
      dialect: "postgresql",
      auth: "none",
      key_in: "header",
      ...connection,
      writes: connection?.writes ? "yes" : "no",
      secret: "",
    };
  const dialog = byId("dialog"),
    place = h("div", { class: "form" }),
    says = h("div", { role: "alert" });
  const anyway = h(
    "button",
    { type: "button", class: "btn btn-quiet", hidden: true, onclick: () => save(true) },
    "Save it untested",
  );
  const field = ([name, title, given]) => {
    /** @type {any} */
    const more = given ?? {};
    const id = `field-${name}-${title.replace(/\W/g, "")}`;
    if (more.options)
      return labelled(
        { id, property: { title } },
        select(
          more.options,
          values[name] ?? more.options[0][0],
          title,
          (value) => {
            values[name] = value;
            draw(id);
          },
          { id },
        ),
      );
    if (more.start && !values[name]) values[name] = more.start;
    const input = h("input", {
      id,
      type: more.secret ? "password" : "text",
      class: "form-control form-control-sm",
      autocomplete: more.secret ? "new-password" : "off",
      spellcheck: "false",
      value: values[name] ?? "",
      placeholder: more.secret && connection?.has_secret ? "unchanged" : (more.hint ?? null),
      oninput: () => {
        values[name] = input.value;
      },
    });
    return labelled({ id, property: { title } }, input);
  };
  const draw = (focus) => {
    const chosen = values.kind === "database" ? values.dialect : values.auth;
    place.replaceChildren(
      labelled(
        { id: "field-name", property: { title: "Name", description: "flows call it by this" } },
        h("input", {
          id: "field-name",
          type: "text",
          class: "form-control form-control-sm",
          value: values.name ?? "",
          autocomplete: "off",
          oninput: (event) => {
            values.name = event.target.value;
          },
        }),
      ),
      old
        ? ""
        : h(
            "div",
            { class: "field" },
            choice(
              [
                ["database", "database"],
                ["web", "web service"],
                ["mail", "mail folder"],
                ["cluster", "cluster"],
              ],
              values.kind,
              "Kind of connection",
              (kind) => {
                values.kind = kind;
                draw();
              },
            ),
          ),
      ...FIELDS[values.kind]
        .filter(([, , more]) => !more?.when?.length || more.when.includes(chosen))
        .map(field),
    );
    if (focus) byId(focus)?.focus();
  };
  const save = async (untested = false) => {
    const chosen = values.kind === "database" ? values.dialect : values.auth;
    const body = { kind: values.kind, name: values.name ?? "", old, untested };
    for (const [name, , more = {}] of FIELDS[values.kind])
      if (!more.when || more.when.includes(chosen))
        body[name] = ["port", "per_minute"].includes(name)
          ? Number(values[name]) || null
          : (values[name] ?? "");
    says.replaceChildren(h("p", { class: "said-next" }, "Trying to reach it…"));
    try {
      const { said } = await post("/api/connections", body);
      sessionStorage.setItem("said", `“${body.name}” saved. ${said}`);
      location.reload();
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      says.replaceChildren(h("p", { class: "said-problem" }, error.problem.text));
      anyway.hidden = ["bad_connection", "same_name"].includes(error.problem.code);
    }
  };
  draw();
  dialog.replaceChildren(
    h(
      "form",
      {
        method: "dialog",
        onsubmit: (event) => {
          event.preventDefault();
          save();
        },
      },
      h("h2", { id: "dialog-title" }, old ? `Change “${old}”` : "New connection"),
      place,
      says,
      h(
        "div",
        { class: "dialog-foot" },
        anyway,
        h(
          "button",
          { type: "button", class: "btn btn-quiet", onclick: () => dialog.close() },
          "Cancel",
        ),
        h("button", { type: "submit", class: "btn btn-main" }, "Test and save"),
      ),
    ),
  );
  dialog.showModal();
  byId("field-name").focus();
}

byId("new-connection").addEventListener("click", () => edit(null));
document.addEventListener("click", (event) => {
  const button = /** @type {any} */ (event.target).closest("[data-do]");
  if (!button) return;
  const { name } = button.closest("tr").dataset;
  if (button.dataset.do === "edit") {
    edit(known.find((connection) => connection.name === name));
    return;
  }
  const dialog = byId("dialog");
  dialog.replaceChildren(
    h(
      "form",
      { method: "dialog" },
      h("h2", { id: "dialog-title" }, `Delete “${name}”?`),
      h("p", {}, "Flows that use it keep its name and will say that it is gone."),
      h(
        "div",
        { class: "dialog-foot" },
        h("button", { class: "btn btn-quiet", value: "no" }, "Keep it"),
        h("button", { class: "btn btn-danger-ish", value: "yes" }, "Delete"),
      ),
    ),
  );
  dialog.onclose = () => {
    dialog.onclose = null;
    if (dialog.returnValue === "yes")
      attempt(async () => {
        await api(`/api/connections/${encodeURIComponent(name)}`, { method: "DELETE" });
        location.reload();
      });
  };
  dialog.returnValue = "";
  dialog.showModal();
});
const said = sessionStorage.getItem("said");
if (said) {
  sessionStorage.removeItem("said");
  notice(said);
}
