"""What each page is for, in a few sentences, and its keys: shown behind "?" where one stands, and as docs/guide.md.

A later area adds its page here; a test holds the guide and the pages against each other.
"""

from dataclasses import dataclass
from fnmatch import fnmatchcase

Keys = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Help:
    """``address``: of the page, with * for an id, or the beginning of it; ``keys``: keystroke and what it does."""

    address: str
    title: str
    sentences: tuple[str, ...]
    keys: Keys = ()


_SAVE = ("Ctrl S", "save everything on the page")
PAGES = (
    Help(
        "/today",
        "Today",
        (
            "This is where a day begins: what failed, what waits for somebody, and what runs by itself.",
            "Each line leads to the place where it is done.",
            "Drafts are counted by what they still need before they can go live.",
            "What you typed elsewhere and did not save is offered again, in this browser only.",
            "In an empty shop the first five steps stand here instead.",
        ),
    ),
    Help(
        "/products",
        "Products",
        (
            "The table of everything you sell, with the lists at the left that narrow it.",
            "A list opens with all its values, is searched there, and stands by number or by name.",
            "A product that varies unfolds in place; prices, names and stock are changed in their cells, and a column "
            "copied from a spreadsheet is pasted.",
            "Tick products, or take all that match, and give them a value: a dry run shows first what would change.",
            "The address holds what you see, so it can be kept under a name or sent to a colleague.",
        ),
        (
            ("/ /", "find by name, SKU, code or GTIN"),
            ("↑ ↓", "go through the rows"),
            ("Enter", "open the product"),
            ("F2", "edit the cell"),
            ("?", "on a price: why it costs that"),
            ("Ctrl V", "paste a column from here down"),
        ),
    ),
    Help(
        "/products/",
        "A product",
        (
            "One page for all that is said of a product; the outline at the left shows which part lacks something.",
            "The mirror at the right shows what the shop or a marketplace will show, while you type; what is missing "
            "is filled in there.",
            "Brands, tags, categories, attributes and their choices are made in the fields where they are chosen.",
            "Under another lens you write for a language or a destination alone; each field says where its value comes "
            "from.",
            "If a colleague saved meanwhile, both values are shown and you choose; nothing is overwritten unseen.",
        ),
        (_SAVE, ("Ctrl .", "fill in the next thing that is missing"), ("Ctrl K", "find anything")),
    ),
    Help(
        "/categories",
        "Categories",
        (
            "The trees that buyers browse: the navigation, the foot of the page, and further ones.",
            "A name or an indented list that is pasted becomes a branch, hidden until you show it.",
            "A category holds goods, or is a page of text and pictures, a heading, or a link.",
            "Goods are put in by hand, in bulk, or by conditions that keep it filled.",
            "Deleting shows first where its goods and its branch go.",
        ),
        (
            ("↑ ↓ ← →", "go through the tree"),
            ("Alt and arrows", "move the category"),
            ("F2", "rename it"),
            ("Insert", "add one"),
            ("Space", "pick several"),
            _SAVE,
        ),
    ),
    Help(
        "/vocabulary",
        "Vocabulary",
        (
            "The words that goods are described with: attributes and their choices, product types, brands and tags.",
            "A type says which attributes its products have, which they need to go live, and by what variants differ.",
            "What looks like a second word for the same thing is gathered under Near-doubles and joined in one act.",
            "A word that is in use can be replaced everywhere; the dry run says where it stands.",
            "Words are written once and translated under Translate.",
        ),
        (_SAVE,),
    ),
    Help(
        "/media",
        "Media",
        (
            "All pictures, videos, 3D models and links, each kept once however often it is used.",
            "Drop many files at once; they come in in the order in which you chose them.",
            "Personal data is taken out of pictures, and smaller sizes are made by themselves.",
            "A file says where it is used, and another is put in its place everywhere in one act.",
            "What nothing uses can be found and deleted; History brings it back.",
        ),
        (("/ /", "find by file, product or text"),),
    ),
    Help(
        "/translate",
        "Translate",
        (
            "Original and translation stand side by side, what is missing first.",
            "When an original changes, its translation is marked as perhaps out of date and the difference is shown.",
            "Texts go out as XLIFF or as a table and come in again with a dry run.",
            "What goes out is what is listed: narrow it first by kind, state or words.",
            "A missing text is shown to buyers in the shop’s own language.",
        ),
        (("Ctrl Enter", "save a text and go to the next"),),
    ),
    Help(
        "/prices",
        "Prices",
        (
            "What costs how much and when: each row is goods with a sale that is over, on, or planned.",
            "Drag a sale or its ends, or move it with the arrow keys; it begins and ends at its minute by itself.",
            "A sale is planned for all goods here, for some from the table of products, or for one on its own page.",
            "What may be meant otherwise stands above it: below cost, raised just before, nothing taken off.",
            "Ask why? beside any price: the steps lead from what was typed to what is paid, each to where it is set.",
        ),
        (
            ("← →", "move the sale in focus by a day"),
            ("Shift ← →", "move its end"),
            ("Alt ← →", "move its beginning"),
            ("Enter", "keep that, or open the sale"),
            ("Esc", "put it back, or close the steps of a price"),
        ),
    ),
    Help(
        "/stock",
        "Stock",
        (
            "Each row is a variant with what is there of it, what orders hold, and what sells.",
            "Type +20 or -3 to change what is there, or =50 for what you counted; two who add 5 make 10.",
            "Every change stands in the record with its reason; a roll back books the opposite.",
            "Count or move goods by typing or scanning codes, one a line; it is shown first what would change.",
            "What happens at zero, what is reported and how many an order may have is said once, under Rules.",
        ),
        (("Enter", "book what was typed"),),
    ),
    Help(
        "/choices",
        "Choices",
        (
            "A choice is what a buyer adds while ordering: a gift wrap, a message, a day, a number, a file.",
            "It may change the price by an amount or a percentage, for each piece or once, and the weight.",
            "Make it once and ask it with many products, or make it in a product for that one alone.",
            "Beside the form it stands as a buyer sees it, working; try what an answer comes to.",
            "It never makes a variant: stock is counted for variants only.",
        ),
        (_SAVE,),
    ),
    Help(
        "/relations",
        "Kinds of relation",
        (
            "Goods belong together in kinds: what goes well with another, what is finer, accessories, spare parts.",
            "Buyers read a kind’s name above the goods, so it can be translated like all words.",
            "A kind that holds both ways is written on both sides at once, and goes on both.",
            "What goes with a product, and costs less together with it, is said in its editor, under “Related”.",
            "All goods of a category have those of another beside them by a rule; many at once come in as lines.",
        ),
        (_SAVE,),
    ),
    Help(
        "/downloads",
        "Downloads",
        (
            "A download is a file that buyers get with a product: a pattern as PDF, a film, a recording.",
            "Add it in the product, under “Downloads”; the same file can be given with others, or with one variant.",
            "Say how often and for how long it can be had, and whether its pages carry the buyer’s name.",
            "A new version goes to earlier buyers too, where you wish.",
            "The order’s page shows who took what; there a link that ended is opened again.",
        ),
        (_SAVE,),
    ),
    Help(
        "/reviews",
        "Reviews",
        (
            "What buyers wrote of goods in the shop window; it waits here until somebody has read it.",
            "Show it, hide it, or report it with a reason; what was reported is kept and never shown.",
            "An answer stands below the review, as the shop’s.",
            "Which products may be reviewed is said in each, under “Reviews”.",
            "Nobody writes more than five in a day.",
        ),
    ),
    Help(
        "/searches",
        "Searches",
        (
            "What buyers typed into the search of the shop window and found nothing by, the most wanted first.",
            "Names, SKUs, product codes and GTINs are searched, with the same forgiving as in the table.",
            "A word that many look for is worth a place in a name, or goods that are called so.",
            "Take a line away when it is seen to: it comes again when somebody looks for it and still finds nothing.",
            "What nobody looked for in a year is forgotten by itself.",
        ),
    ),
    Help(
        "/orders",
        "Orders",
        (
            "What was ordered in the shop window, and what the real shop reports, the newest first.",
            "An order keeps its lines as they were: names, prices, choices and the files that were handed in.",
            "It reserves its goods; paid, it takes them from stock; cancelled or come back, they are there again.",
            "Say by hand that it is paid, sent, cancelled, or what of it came back; the buyer is written to.",
            "Who is signed in here and orders in the window plays it through: a trial, of which stock hears nothing.",
        ),
    ),
    Help(
        "/delivery",
        "Delivery and tax",
        (
            "A promise says to which countries goods go, in how many days of work, and what that costs.",
            "One stands for all goods, others for types, categories or a product; the nearest counts.",
            "Days of work and the hour until which an order goes out give the days on which buyers read it arrives.",
            "A tax class has a rate for each country, from a day on: a percentage, a fixed amount a piece, or both.",
            "Until there is one, tax shows nowhere; then say whether prices are typed and shown with it or without.",
        ),
        (_SAVE,),
    ),
    Help(
        "/files",
        "Files",
        (
            "Bring in a table: text, spreadsheet, JSON or XML, packed or not; how it is read can be corrected.",
            "Rows with one product code are variants of one product; rows can be categories, attributes or types too.",
            "The dry run writes nothing: it counts and draws what is new, changed and refused, and names what is made.",
            "All is written at once or not at all; what somebody changed meanwhile is left out and offered again.",
            "The catalogue, or a view, goes out in six formats, at set times too, and comes in again without a change.",
        ),
    ),
    Help(
        "/files/sources",
        "Files that come by themselves",
        (
            "At set times a file is fetched from an address, or taken out of a folder on the server.",
            "A profile says how it is read; it is brought in for the person who asked for it, who is named in History.",
            "Where more prices would change than you allow, or goods would be archived, it waits for somebody.",
            "So it does where rows are refused, unless these are to be left out.",
            "What is the same as the time before is left alone; files in the folder come in one after another.",
        ),
        (_SAVE,),
    ),
    Help(
        "/channels",
        "Channels",
        (
            "A channel is your account on a marketplace, which reads the same products as your shop.",
            "A product’s page says what it still lacks there, and sends it.",
            "What changes later is sent again by itself, and the answer is shown in the marketplace’s words.",
            "A listing can be taken down and put up again.",
            "If the marketplace does not answer, it is asked again with growing pauses, and the page says since when.",
        ),
    ),
    Help(
        "/history",
        "History",
        (
            "Every act that changed something: who, when, and each value before and after.",
            "Search by words, person, time, field or product.",
            "Any act can be rolled back; a dry run shows first what would go back.",
            "A value that somebody changed since stays as it is, and is shown.",
            "The roll back is an act of its own, and can be rolled back too.",
        ),
    ),
    Help(
        "/products/*/as-of",
        "As it was",
        (
            "A product as it was at any moment, as the lens shows it, beside now or another moment.",
            "Prices, sales, taxes and words are those of then, as far as the record has them.",
            "What is otherwise stands below, field by field; the whole shop of that moment can be looked at too.",
            "Tick what is to be put back as it was; that is an act like any other.",
            "What a product differs by goes back only by rolling back the act that changed it.",
        ),
    ),
    Help(
        "/history/of",
        "History of a record",
        (
            "What happened to one record and all that belongs to it, field by field, the newest first.",
            "Prices and stock are drawn over time; each step is a change that stands in the table below.",
            "What was taken away is told too.",
            "Choose a field to see its changes alone.",
            "Of a product you can look at the whole as it was at a moment.",
        ),
    ),
    Help(
        "/history/keeping",
        "How long the record is kept",
        (
            "That something happened is kept for ever; what it changed, value by value, for as long as is said here.",
            "Nothing typed is for ever.",
            "What is older goes in the night, a little at a time, and nobody waits for it.",
            "Then it can’t be rolled back, and products can’t be looked at as they were before.",
            "Who may do what, and this page itself, are kept for ever.",
        ),
        (_SAVE,),
    ),
    Help(
        "/prepared",
        "Prepared changes",
        (
            "A change that was planned and is not done: somebody looks at it first, or it waits for its moment.",
            "Say yes, set a moment, or send it back with a word. Whom it concerns is told by mail if that is set up.",
            "It is held against what is there now; what somebody changed since stays as it is, and is shown.",
            "Where too much was changed since, it is refused with a word.",
            "Done, it is an act like any other, and can be rolled back.",
        ),
    ),
    Help(
        "/jobs",
        "Jobs",
        (
            "Work that takes longer goes on in the background, also when you close the page.",
            "Here you see what runs and how far it is, what waits, and what failed and why.",
            "What runs can be cancelled: then nothing of it stays.",
            "What failed can be tried again.",
            "What a person waits for goes before what runs by itself.",
        ),
    ),
    Help(
        "/shops",
        "Shops and languages",
        (
            "A shop has a name, languages, a currency, category trees and an assortment of its own.",
            "The catalogue is one: what a shop or a language needs otherwise is written for it alone.",
            "A shop with another currency shows only goods that have a price written for it.",
            "Its window shows what buyers would see, with its own words in most languages.",
            "Choose a shop in the lens to see the whole catalogue as it does.",
        ),
        (_SAVE,),
    ),
    Help(
        "/people",
        "People",
        (
            "Who signs in here, and what they may do: owners connect and invite, editors change, viewers look.",
            "Somebody is invited by a link that works once.",
            "Who is taken out lets in no more; their name stays with what they did.",
            "The last owner can’t be taken out.",
            "Sign-ins, refusals and changes of rights stand in a record of their own.",
        ),
    ),
    Help(
        "/settings",
        "Settings",
        (
            "What is in force in this installation, for its owners to read.",
            "It is set in the server’s environment, by the variables named here, and read when the server starts.",
            "What was not set is as shipped.",
            "Keys and passwords are never shown, only whether there are any.",
            "Shops, languages, people and channels are set on pages of their own.",
        ),
    ),
    Help(
        "/account",
        "Account",
        (
            "Your password, second factor, sessions and tokens.",
            "A new password ends your other sessions.",
            "A second factor asks for a code of an app; keep the recovery codes where you find them.",
            "A token lets a program act as you, with a role and an end.",
            "If a session looks foreign, end all of them and change the password.",
        ),
    ),
)


def of(path: str) -> Help | None:
    """The help of a page: that of its own address, else of the longest one that it begins with."""
    exact = next((one for one in PAGES if fnmatchcase(path, one.address)), None)
    above = [one for one in PAGES if path.startswith(one.address.rstrip("/") + "/")]
    return exact or max(above, key=lambda one: len(one.address), default=None)


def guide() -> str:
    """All of it as one text in Markdown, for docs/guide.md."""
    parts = [
        "# Guide for merchants",
        "What each page is for. The same texts stand in the application: press `?` on any page.",
        "On every page: `/` or `Ctrl K` finds anything, `/` once more finds on the page itself, `?` shows this help "
        "and the keys, `g` and a letter goes to a page.",
    ]
    for one in PAGES:
        parts += [f"## {one.title}", " ".join(one.sentences)]
        if one.keys:
            parts.append("\n".join(f"- `{keys}`: {words}" for keys, words in one.keys))
    return "\n\n".join(parts) + "\n"
