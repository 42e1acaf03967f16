"""The tools of the last step."""

from arabesque.desk.tools.deliver.export import Export

GROUPS = ((Export,),)
