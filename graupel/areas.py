"""The areas of the application in their order, and what each brings.

This is the one place where they are put together: nothing registers itself by being imported. The order is that of
the contract in pyproject.toml, but that vocabulary and media are told before what refers to them; parts of the
product editor and of a shop's page stand in the order in which their areas stand here.
"""

from collections.abc import Callable
from dataclasses import dataclass

from fastapi import APIRouter

from graupel.channels import ostlerby
from graupel.features.assortments import area as assortments
from graupel.features.assortments import pages as assortment_pages
from graupel.features.bulk import area as bulk
from graupel.features.bulk import pages as bulk_pages
from graupel.features.categories import area as categories
from graupel.features.categories import pages as category_pages
from graupel.features.choices import api as choice_api
from graupel.features.choices import area as choices
from graupel.features.choices import pages as choice_pages
from graupel.features.delivery import api as delivery_api
from graupel.features.delivery import area as delivery
from graupel.features.delivery import pages as delivery_pages
from graupel.features.destinations import area as destinations
from graupel.features.destinations import pages as destination_pages
from graupel.features.downloads import area as downloads
from graupel.features.downloads import pages as download_pages
from graupel.features.files import api as file_api
from graupel.features.files import area as files
from graupel.features.files import out_pages, source_pages
from graupel.features.files import pages as file_pages
from graupel.features.finding import pages as finding_pages
from graupel.features.history import area as history
from graupel.features.history import pages as history_pages
from graupel.features.jobs import area as jobs
from graupel.features.jobs import pages as job_pages
from graupel.features.kits import api as kit_api
from graupel.features.kits import area as kits
from graupel.features.kits import pages as kit_pages
from graupel.features.listings import area as listings
from graupel.features.listings import pages as listing_pages
from graupel.features.media import area as media
from graupel.features.media import pages as media_pages
from graupel.features.orders import api as order_api
from graupel.features.orders import area as orders
from graupel.features.orders import pages as order_pages
from graupel.features.prepared import area as prepared
from graupel.features.prepared import pages as prepared_pages
from graupel.features.pricing import api as pricing_api
from graupel.features.pricing import area as pricing
from graupel.features.pricing import pages as pricing_pages
from graupel.features.pricing import rule_pages
from graupel.features.products import api as product_api
from graupel.features.products import area as products
from graupel.features.products import pages as product_pages
from graupel.features.products import past_pages as product_past_pages
from graupel.features.products import table_pages as product_table_pages
from graupel.features.relations import api as relation_api
from graupel.features.relations import area as relations
from graupel.features.relations import pages as relation_pages
from graupel.features.reviews import area as reviews
from graupel.features.reviews import pages as review_pages
from graupel.features.settings import pages as setting_pages
from graupel.features.shop import area as shop
from graupel.features.shop import buying_pages as shop_buying_pages
from graupel.features.shop import download_pages as shop_download_pages
from graupel.features.shop import finding_pages as shop_finding_pages
from graupel.features.shop import pages as shop_pages
from graupel.features.shop import past_pages as shop_past_pages
from graupel.features.stock import api as stock_api
from graupel.features.stock import area as stock
from graupel.features.stock import pages as stock_pages
from graupel.features.terms import area as terms
from graupel.features.today import pages as today_pages
from graupel.features.translating import pages as translating_pages
from graupel.features.users import account_pages, people_pages
from graupel.features.users import area as users
from graupel.features.users import pages as user_pages
from graupel.features.variants import api as variant_api
from graupel.features.variants import area as variants
from graupel.features.variants import copy_pages, one_pages
from graupel.features.variants import pages as variant_pages
from graupel.features.vocabulary import area as vocabulary
from graupel.features.vocabulary import pages as vocabulary_pages
from graupel.features.wording import area as wording


@dataclass(frozen=True)
class Area:
    """One area: its pages, its part of the interface for programs, and what it registers.

    ``register`` is given the language in which records are written, ``in_currency`` the currency of prices; ``finish``
    is called when all areas registered.
    """

    name: str
    pages: tuple[APIRouter, ...] = ()
    api: tuple[APIRouter, ...] = ()
    register: Callable[[str], None] | None = None
    finish: Callable[[], None] | None = None
    in_currency: Callable[[str], None] | None = None


AREAS = (
    Area("jobs", (job_pages.router,), register=jobs.register),
    Area("history", (history_pages.router,), register=history.register),
    Area(
        "users",
        (user_pages.router, user_pages.guarded, account_pages.router, people_pages.router),
        register=users.register,
    ),
    Area("prepared", (prepared_pages.router,), register=prepared.register),
    Area("settings", (setting_pages.router,)),
    Area("destinations", (destination_pages.router,), register=destinations.register),
    Area("wording", register=wording.register),
    Area("media", (media_pages.router,), register=media.register, finish=media.finish),
    Area("vocabulary", (vocabulary_pages.router,), register=vocabulary.register, finish=vocabulary.finish),
    Area("categories", (category_pages.router,), register=categories.register, finish=categories.finish),
    Area("terms", register=terms.register, in_currency=terms.in_currency),
    Area(
        "products",
        (product_table_pages.router, product_pages.router, product_past_pages.router),
        (product_api.router,),
        products.register,
    ),
    Area("assortments", (assortment_pages.router,), register=assortments.register),
    Area(
        "variants",
        (copy_pages.router, variant_pages.router, one_pages.router, one_pages.table_router),
        (variant_api.router,),
        variants.register,
    ),
    Area("pricing", (rule_pages.router, pricing_pages.router), (pricing_api.router,), pricing.register),
    Area("stock", (stock_pages.open_router, stock_pages.router), (stock_api.router,), stock.register),
    Area(
        "choices",
        (choice_pages.router, choice_pages.product_router),
        (choice_api.router,),
        register=choices.register,
        finish=choices.finish,
    ),
    Area(
        "downloads",
        (download_pages.router, download_pages.product_router),
        register=downloads.register,
        finish=downloads.finish,
    ),
    Area(
        "relations",
        (relation_pages.router, relation_pages.product_router),
        (relation_api.router,),
        register=relations.register,
        finish=relations.finish,
    ),
    Area("kits", (kit_pages.product_router,), (kit_api.router,), kits.register),
    Area("reviews", (review_pages.router, review_pages.product_router), register=reviews.register),
    Area("delivery", (delivery_pages.router, delivery_pages.product_router), (delivery_api.router,), delivery.register),
    Area("orders", (order_pages.router,), (order_api.router,), orders.register),
    Area("listings", (listing_pages.router,), register=listings.register),
    Area("files", (out_pages.router, source_pages.router, file_pages.router), (file_api.router,), files.register),
    Area("translating", (translating_pages.router,)),
    Area("bulk", (bulk_pages.router,), register=bulk.register),
    Area("finding", (finding_pages.router,)),
    Area("today", (today_pages.router,)),
    Area(
        "shop",
        (
            shop_buying_pages.router,
            shop_download_pages.router,
            shop_finding_pages.router,
            shop_past_pages.router,
            shop_finding_pages.guarded,
            shop_pages.router,
        ),
        register=shop.register,
    ),
)


def register(language: str, currency: str) -> None:
    """Let all areas register, in their order. To do so again changes nothing."""
    ostlerby.register()
    for area in AREAS:
        if area.register:
            area.register(language)
        if area.in_currency:
            area.in_currency(currency)
    for area in AREAS:
        if area.finish:
            area.finish()
