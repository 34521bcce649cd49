"""The Survey page: findings, frames to freeze, joins, the clean plate's fit and the screen's report, a section each."""
