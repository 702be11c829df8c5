"""Zax: the front desk of a dental and medical clinic."""
