"""The API, assembled; nothing else."""

from neat_verdict.app.analysis.api import router as analysis
from neat_verdict.app.analysis.scratchpad_api import router as scratchpad
from neat_verdict.app.casebook.api import router as casebook
from neat_verdict.app.collect.api import router as collect
from neat_verdict.app.collect.events_api import router as events
from neat_verdict.app.collect.files_api import router as files
from neat_verdict.app.config.reference import Reference, for_its_readers
from neat_verdict.app.experiments.api import router as experiments
from neat_verdict.app.http.described import DESCRIPTION, DescribedAPI
from neat_verdict.app.http.errors import install
from neat_verdict.app.http.texts import CleanParser
from neat_verdict.app.http.vocabulary import router as vocabulary
from neat_verdict.app.metrics.api import router as metrics
from neat_verdict.app.people.accounts_api import router as accounts
from neat_verdict.app.people.api import router as people
from neat_verdict.app.people.auth import PEOPLE_AND_TOKENS
from neat_verdict.app.people.own_api import router as own
from neat_verdict.app.planning.api import router as planning
from neat_verdict.app.privacy.api import router as privacy
from neat_verdict.app.regions.api import router as regions
from neat_verdict.app.reports.api import router as reports
from neat_verdict.app.search.api import router as searching
from neat_verdict.app.site.api import router as site
from neat_verdict.app.sources.api import router as sources
from neat_verdict.app.traffic.api import router as traffic
from neat_verdict.app.watch.api import router as watch
from neat_verdict.app.webhooks.api import router as webhooks

api = DescribedAPI(
    title="Neat Verdict",
    version="1.0.0",
    description=DESCRIPTION,
    auth=PEOPLE_AND_TOKENS,
    docs=Reference(),
    docs_url="/reference",
    docs_decorator=for_its_readers,
    urls_namespace="api",
    parser=CleanParser(),
)
install(api)
for prefix, router in (
    ("", people),
    ("", own),
    ("", accounts),
    ("", vocabulary),
    ("", metrics),
    ("", experiments),
    ("", planning),
    ("", traffic),
    ("", site),
    ("", collect),
    ("", events),
    ("", files),
    ("", sources),
    ("", regions),
    ("", analysis),
    ("", scratchpad),
    ("", watch),
    ("", webhooks),
    ("", privacy),
    ("", casebook),
    ("", searching),
    ("", reports),
):
    api.add_router(prefix, router)
