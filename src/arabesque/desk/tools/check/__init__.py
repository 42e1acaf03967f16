"""The tools of the sixth step: the forms of the checks, and states side by side."""

from arabesque.desk.tools.check.compare import Compare
from arabesque.desk.tools.check.judge import GlossCheck, JoinsCheck
from arabesque.desk.tools.check.judge_form import DistanceCheck, FormCheck, NetCheck
from arabesque.desk.tools.check.judge_lines import CombsCheck, SectionsCheck

GROUPS = ((DistanceCheck, SectionsCheck, CombsCheck, GlossCheck, FormCheck, NetCheck, JoinsCheck, Compare),)
