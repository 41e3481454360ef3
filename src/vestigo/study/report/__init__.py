"""Everything of the work on one trace and plan, gathered for a page that others read."""

from vestigo.study.report.report import Report, report

__all__ = ["Report", "report"]
