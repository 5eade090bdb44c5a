"""Photographs of one place: tied together, solved as one, with what stands there in all of them."""

from lithopos.core.site.document import Known, Member, Site, SiteLength, Tie, load_site

__all__ = ["Known", "Member", "Site", "SiteLength", "Tie", "load_site"]
