"""Two ways to work a page: with the mouse, and with nothing but the keyboard."""

from playwright.sync_api import Page


def brought(page: Page, name: str, text: str) -> None:
    """A new flow that begins with a file of this text, open in the studio."""
    page.goto("/")
    page.set_input_files("#start-file", {"name": name, "mimeType": "text/csv", "buffer": text.encode()})
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")


def added(page: Page, words: str, kind: str) -> None:
    """A step of this kind after the one that is open, found by these words."""
    page.keyboard.press("Control+k")
    page.keyboard.type(words)
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("kind => updraft.stepDesk.step?.kind === kind", arg=kind)


class Mouse:
    def __init__(self, page: Page) -> None:
        self.page = page

    def find(self, role: str, name: str):
        return self.page.get_by_role(role, name=name, exact=True).last

    def button(self, name: str) -> None:
        self.find("button", name).click()

    def choose(self, label: str, option: str) -> None:
        self.find("combobox", label).select_option(label=option)

    def type(self, label: str, text: str) -> None:
        self.find("textbox", label).fill(text)

    def paste(self, label: str, text: str) -> None:
        self.page.evaluate("text => navigator.clipboard.writeText(text)", text)
        self.find("textbox", label).click()
        self.page.keyboard.press("Control+v")

    def check(self, label: str) -> None:
        self.page.locator("#desk").get_by_label(label, exact=True).first.check()

    def radio(self, label: str) -> None:
        self.page.locator(".pick").get_by_text(label, exact=True).click()

    def add(self, words: str, title: str) -> None:
        self.page.locator("#add-box").click()
        self.page.locator(".add-option", has_text=title).first.click()

    def stop(self, label: str) -> None:
        self.page.locator(".stop", has_text=label).first.click()

    def file(self, button: str, path) -> None:
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name=button).last.click()
        chooser.value.set_files(path)

    def bring_in(self, path) -> None:
        self.page.get_by_role("button", name="Bring in", exact=True).click()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("menuitem", name="A file").first.click()
        chooser.value.set_files(path)


class Keys:
    """No click at all: Tab to things, then keys. Fails where something cannot be reached."""

    NAME = """() => { const e = document.activeElement; const own = e.getAttribute('aria-label') ?? (e.labels?.length ? e.labels[0].firstChild?.textContent || e.labels[0].textContent : null);
      const label = e.labels?.length && !e.getAttribute('aria-label') ? (e.type === 'checkbox' ? (e.labels[0].querySelector('.name')?.textContent ?? own) : own) : own;
      return [e.tagName, (label ?? e.textContent).trim(), e.type ?? '', e.closest('.pick') ? e.nextElementSibling?.textContent : '', e.id]; }"""

    def __init__(self, page: Page) -> None:
        self.page = page

    def tab_to(self, wanted, what: str):
        for back in (False, True):
            for _ in range(180):
                if wanted(self.page.evaluate(self.NAME)):
                    return
                self.page.keyboard.press("Shift+Tab" if back else "Tab")
        raise AssertionError(f"{what} cannot be reached by keyboard")

    def button(self, name: str) -> None:
        self.tab_to(lambda e: e[0] in ("BUTTON", "A") and e[1] == name, f"button {name}")
        self.page.keyboard.press("Enter")

    def choose(self, label: str, option: str) -> None:
        self.tab_to(lambda e: e[0] == "SELECT" and e[1] == label, f"list {label}")
        self.page.keyboard.type(option)
        chosen = self.page.evaluate("document.activeElement.selectedOptions[0]?.textContent")
        if chosen != option and self.page.evaluate("document.activeElement.tagName") == "SELECT":
            raise AssertionError(f"{label}: typing {option} chose {chosen}")

    def type(self, label: str, text: str) -> None:
        self.tab_to(lambda e: e[0] in ("INPUT", "TEXTAREA") and e[1] == label, f"field {label}")
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def paste(self, label: str, text: str) -> None:
        self.page.evaluate("text => navigator.clipboard.writeText(text)", text)
        self.tab_to(lambda e: e[0] == "INPUT" and e[1] == label, f"field {label}")
        self.page.keyboard.press("Control+v")

    def check(self, label: str) -> None:
        self.tab_to(lambda e: e[2] == "checkbox" and e[1] == label, f"box {label}")
        if not self.page.evaluate("document.activeElement.checked"):
            self.page.keyboard.press("Space")

    def radio(self, label: str) -> None:
        group = self.page.locator(".pick", has_text=label).first
        texts = [text.strip() for text in group.locator("label").all_inner_texts()]
        self.tab_to(lambda e: e[2] == "radio" and e[3] in texts, f"choice {label}")
        for _ in texts:
            if self.page.evaluate(self.NAME)[3] == label:
                return
            self.page.keyboard.press("ArrowRight")
        raise AssertionError(f"{label} cannot be chosen by arrow keys")

    def add(self, words: str, title: str) -> None:
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type(words)
        self.page.wait_for_function(
            "title => document.querySelector('.add-option[aria-selected=true]')?.textContent.includes(title)", arg=title
        )
        self.page.keyboard.press("Enter")

    def stop(self, label: str) -> None:
        self.page.keyboard.press("Alt+1")
        self.page.keyboard.press("Home")
        for _ in range(30):
            if label in self.page.evaluate("document.activeElement.textContent"):
                return
            self.page.keyboard.press("ArrowDown")
        raise AssertionError(f"stop {label} cannot be reached")

    def file(self, button: str, path) -> None:
        self.tab_to(lambda e: e[0] == "BUTTON" and e[1].startswith(button), f"button {button}")
        with self.page.expect_file_chooser() as chooser:
            self.page.keyboard.press("Enter")
        chooser.value.set_files(path)

    def bring_in(self, path) -> None:
        self.tab_to(lambda e: e[0] == "BUTTON" and e[1] == "Bring in", "button Bring in")
        self.page.keyboard.press("Enter")
        with self.page.expect_file_chooser() as chooser:
            self.page.keyboard.press("Enter")  # the first way is a file
        chooser.value.set_files(path)
