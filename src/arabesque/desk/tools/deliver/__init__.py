"""The tools of the last step."""

from arabesque.desk.tools.deliver.export import Export
from arabesque.desk.tools.deliver.mill_check import CheckMill
from arabesque.desk.tools.deliver.picture import TakePicture
from arabesque.desk.tools.deliver.print_check import CheckPrint
from arabesque.desk.tools.deliver.record import RecordJob
from arabesque.desk.tools.deliver.remarks import WriteRemarks
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.tools.deliver.sheet import MakeSheet

GROUPS = ((Export, WriteReport, MakeSheet, WriteRemarks, TakePicture), (CheckPrint, CheckMill), (RecordJob,))
