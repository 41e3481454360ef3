"""All of the work on one trace and plan, collected for a page that others read."""

from vestigo.study.report.report import Report, report

__all__ = ["Report", "report"]
