"""The dry run and the applying of a file, in the background."""

from graupel.features.files import service
from graupel.jobs import handler

handler("files.plan")(service.plan)
handler("files.apply")(service.apply)
