"""Somebody is invited, comes in, protects the account, works by a token, and is deactivated; and the other ways in."""

import json
import re
import urllib.error
import urllib.request

import pyotp
from playwright.sync_api import expect

GOOD, OTHER = "nine-cabins-and-a-ferry", "eleven-berths-at-night"


def link_in_mailbox(admin, subject):
    """The link of the latest mail of that subject."""
    letters = admin.context.new_page()
    letters.goto("/mailbox")
    letter = letters.get_by_role("article").filter(has=letters.get_by_role("heading", name=subject)).first
    address = letter.get_by_role("link").get_attribute("href")
    letters.close()
    return address


def asked(site, token, path="/api/v1/me"):
    request = urllib.request.Request(f"{site}{path}", headers={"Authorization": f"Bearer {token}"})
    try:
        with urllib.request.urlopen(request, timeout=30) as answer:
            return json.load(answer)
    except urllib.error.HTTPError as refused:
        with refused:
            return refused.code


def sign_out(page, name):
    page.get_by_role("button", name=re.compile(f"account of {name}")).click()
    page.get_by_role("menuitem", name="Sign out").click()


def give(page, name, password):
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_label("Password", exact=True).fill(password)
    page.get_by_role("button", name="Sign in", exact=True).click()


def test_from_an_invitation_to_the_end_of_an_account(people, site):
    admin, newcomer = people().sign_in("ada"), people()
    keeps, page = admin.page, newcomer.page
    keeps.goto("/accounts")
    keeps.get_by_label("First name").fill("Orla")
    keeps.get_by_label("Address of mail").fill("orla at tidewick")
    keeps.get_by_label("Name to sign in with").fill("mona")
    keeps.get_by_label("Role", exact=True).select_option(label="analyst: does the work")
    keeps.get_by_role("button", name="Invite").click()
    # The browser looks at the address first; then the name that is taken is refused at its field.
    keeps.get_by_label("Address of mail").fill("orla@tidewick.example")
    keeps.get_by_role("button", name="Invite").click()
    expect(keeps.get_by_role("alert")).to_contain_text("is taken")
    keeps.get_by_label("Name to sign in with").fill("orla")
    keeps.get_by_role("button", name="Invite").click()
    expect(keeps.get_by_text("A link went to orla@tidewick.example")).to_be_visible()
    assert admin.axe() == []
    keeps.set_viewport_size({"width": 390, "height": 800})
    assert admin.overflow() == 0
    keeps.set_viewport_size({"width": 1280, "height": 800})

    page.goto(link_in_mailbox(admin, "Neat Verdict: your account"))
    page.get_by_label("Password").fill("password12")
    page.get_by_role("button", name="Choose this password").click()
    expect(page.get_by_role("alert")).to_contain_text("too common")
    assert newcomer.axe() == []
    page.get_by_label("Password").fill(GOOD)
    page.get_by_role("button", name="Choose this password").click()
    page.get_by_role("button", name=re.compile("account of Orla")).click()
    page.get_by_role("menuitem", name="Your account").click()
    page.get_by_role("heading", name="Tokens").wait_for()
    page.set_viewport_size({"width": 390, "height": 800})
    assert newcomer.overflow() == 0
    page.set_viewport_size({"width": 1280, "height": 800})

    # The second factor.
    page.get_by_label("Your password").fill(GOOD)
    page.get_by_role("button", name="Set it up…").click()
    secret = page.locator("code").first.inner_text()
    phone = pyotp.TOTP(secret)
    page.get_by_label("Code").fill("123")
    page.get_by_role("button", name="Turn it on").click()
    expect(page.get_by_role("alert")).to_contain_text("six digits")
    page.get_by_label("Code").fill(phone.now())
    page.get_by_role("button", name="Turn it on").click()
    expect(page.get_by_text("on; 10 recovery codes left")).to_be_visible()
    recovery = page.get_by_role("status").filter(has_text="Recovery codes").get_by_role("listitem").all_inner_texts()
    assert newcomer.axe() == []

    sign_out(page, "Orla")
    give(page, "orla@tidewick.example", GOOD)
    page.get_by_label("Code").fill("000000")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("no recovery code that is left")
    assert newcomer.axe() == []
    page.get_by_label("Code").fill(recovery[0])
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("heading", level=1).filter(has_text="decision").wait_for()

    # Signed in elsewhere too, which is ended here.
    elsewhere = people()
    elsewhere.page.goto("/sign-in")
    give(elsewhere.page, "orla", GOOD)
    elsewhere.page.get_by_label("Code").fill(recovery[1])
    elsewhere.page.get_by_role("button", name="Sign in", exact=True).click()
    elsewhere.page.get_by_role("heading", level=1).filter(has_text="decision").wait_for()
    page.goto("/account")
    page.get_by_role("button", name="Sign out everywhere else").click()
    expect(page.get_by_text("Nowhere else.")).to_be_visible()
    elsewhere.page.goto("/")
    expect(elsewhere.page.get_by_label("Password", exact=True)).to_be_visible()

    # A token, with which a programme works.
    page.get_by_label("What uses it").fill("A notebook")
    page.get_by_role("button", name="Make a token").click()
    token = page.get_by_role("status").filter(has_text="shown this once").locator("code").inner_text()
    assert asked(site, token)["username"] == "orla"
    page.reload()
    expect(page.get_by_text("A notebook")).to_be_visible()
    expect(page.get_by_text(token)).to_have_count(0)

    # A password that was forgotten: the mail replaces it, and does not go round the second factor.
    sign_out(page, "Orla")
    page.get_by_role("button", name="Password forgotten").click()
    page.get_by_label("Name, or address of mail").fill("orla")
    page.get_by_role("button", name="Mail me a link").click()
    expect(page.get_by_role("status")).to_contain_text("a mail with a link is on its way")
    assert newcomer.axe() == []
    page.goto(link_in_mailbox(admin, "Neat Verdict: another password"))
    page.get_by_label("Password").fill(OTHER)
    page.get_by_role("button", name="Choose this password").click()
    give(page, "orla", OTHER)
    page.get_by_label("Code").fill(recovery[2])
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("heading", level=1).filter(has_text="decision").wait_for()

    # The admin ends it all.
    keeps.reload()
    keeps.get_by_role("button", name="Orla").click()
    section = keeps.get_by_label("Account of Orla")
    expect(section).to_contain_text("A notebook")
    section.get_by_role("button", name="Deactivate…").click()
    keeps.get_by_role("dialog").get_by_role("combobox").select_option(label="Hand all of it over to Mona Orrell")
    assert admin.axe() == []
    keeps.get_by_role("dialog").get_by_role("button", name="Deactivate").click()
    expect(section.get_by_role("button", name="Open it again")).to_be_visible()
    expect(keeps.get_by_text("Deactivated orla: 0 keys, 0 links and 0 open experiments passed to mona")).to_be_visible()
    assert asked(site, token) == 401
    page.goto("/")
    expect(page.get_by_label("Password", exact=True)).to_be_visible()


def test_an_identity_provider_opens_the_accounts_that_have_its_addresses(people, site):
    other = people()
    page = other.page
    page.goto("/sign-in?next=%2Fcasebook")
    page.get_by_role("link", name="Sign in with Tidewick staff").click()
    page.get_by_role("link", name="Odo Brill").click()
    expect(page.get_by_role("alert")).to_contain_text("Nobody here has your address")
    assert other.axe() == []
    page.goto("/sign-in?next=%2Fcasebook")
    page.get_by_role("link", name="Sign in with Tidewick staff").click()
    page.get_by_role("link", name="Silas Tarn").click()
    page.wait_for_url(f"{site}/casebook")
    expect(page.get_by_role("button", name=re.compile("account of Silas Tarn"))).to_be_visible()
    page.goto("/accounts")
    expect(page.get_by_text("Admins keep the accounts")).to_be_visible()
