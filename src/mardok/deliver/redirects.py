"""Redirects as files that servers read.

In:  addresses with the address each is to lead to, and addresses that are gone.
Out: an nginx ``map``, an Apache ``RewriteMap`` with its rules, and CSV.

Every redirect is one hop. Addresses become keys, never configuration: in nginx a key is a quoted string, or a quoted regular
expression where letter case matters, and a dollar sign in a target is a variable that holds one; in Apache keys and targets
are the two words of a line in a text map. An address that cannot be written so without a doubt is refused by name.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

NGINX_FILE = "redirects.nginx.conf"
APACHE_FILE = "redirects.apache.conf"
APACHE_MAP = "redirects.apache.txt"
CSV_FILE = "redirects.csv"

_PLAIN = re.compile(r"https?://[\x21\x24-\x5b\x5d\x5e\x60-\x7e_]+")
"""An address in its one form: printable ASCII without white space, quotation mark, hash and backslash."""
_GONE = "gone"
_REGEX_SIGNS = re.compile(r"([^A-Za-z0-9_/%:=&-])")


@dataclass(frozen=True)
class Writing:
    """How the end of a path is written anew: regular expressions that nginx, Apache and Python read alike."""

    head: str
    """What stays of the path."""
    dropped: str
    """What goes from its end."""
    added: str
    """What comes to its end, as text."""

    def under(self, folder: str) -> Writing:
        """The same for what lies under a folder only.

        Examples
        --------
        >>> WITH_SLASH.under("/hire/").rewritten("/hire/a"), WITH_SLASH.under("/hire/").rewritten("/blog/a")
        ('/hire/a/', None)
        """
        return Writing(_escaped(folder) + self.head.removeprefix("/"), self.dropped, self.added)

    def rewritten(self, path: str) -> str | None:
        """A path, with its query, as it is written anew; None if the rule is not for it.

        Examples
        --------
        >>> index_file(["index.html"]).rewritten("/hire/index.html?a=b"), WITH_SLASH.rewritten("/style.css")
        ('/hire/?a=b', None)
        """
        match = re.fullmatch(rf"({self.head}){self.dropped}(\?.*)?", path)
        return f"{match[1]}{self.added}{match[2] or ''}" if match else None


WITH_SLASH = Writing(r"/(?:[^? ]*/)?[^?/. ]+", "", "/")
"""A slash at the end of what is no file."""
WITHOUT_SLASH = Writing(r"/[^? ]*[^?/ ]", "/", "")


def index_file(names: Iterable[str]) -> Writing:
    """The folder instead of its index file; `names` are plain file names."""
    return Writing(r"/(?:[^? ]*/)?", f"(?:{'|'.join(_escaped(name) for name in sorted(names))})", "")


@dataclass(frozen=True)
class Redirects:
    """What servers are to redirect."""

    single: Mapping[str, str]
    """Target of each address that is redirected by itself."""
    origins: Sequence[tuple[str, str]]
    """Schemes and hosts that go to another as a whole, whatever the path, such as ``http://host.example`` to
    ``https://www.host.example``."""
    writings: Sequence[tuple[str, str, Writing]] = ()
    """Paths that are written anew: scheme and host asked, those answered, and how."""
    written: Mapping[str, str] = field(default_factory=dict)
    """Target of each address that was read and goes by one of them."""
    gone: Sequence[str] = ()
    """Addresses that are to answer 410."""


def plain_addresses(addresses: Sequence[str]) -> list[str]:
    """Those of the addresses that cannot be written into a server's files without a doubt."""
    return [address for address in addresses if not _PLAIN.fullmatch(address)]


def nginx_map(redirects: Redirects, known: Iterable[str] = ()) -> str:
    """A map for the ``http`` block, and in comments what the ``server`` block needs.

    Parameters
    ----------
    known : iterable of str
        Further addresses of the site, which must not be redirected because they differ from one that is in case only.
    """
    lines = []
    addresses = {*redirects.single, *redirects.single.values(), *known}
    folded = Counter(address.casefold() for address in addresses)
    for source, target in sorted(redirects.single.items()):
        # Strings are compared without regard to case, so what differs from another address only in case is a pattern.
        is_alone = folded[source.casefold()] == 1
        key = source if is_alone else f"~^{_escaped(source)}$"
        lines.append(f'    "{key}" "{_nginx_target(target)}";')
    for source, target, writing in redirects.writings:
        pattern = f"(?<mardok_path>{writing.head}){writing.dropped}(?<mardok_query>\\?.*)?"
        answer = f"{_nginx_target(target)}${{mardok_path}}{writing.added}$mardok_query"
        lines.append(f'    "~^{_escaped(source)}{pattern}$" "{answer}";')
    for source, target in sorted(redirects.origins):
        lines.append(f'    "~^{_escaped(source)}(?<mardok_rest>/.*)$" "{_nginx_target(target)}$mardok_rest";')
    gone = []
    folded = Counter(address.casefold() for address in {*addresses, *redirects.gone})
    for address in sorted(redirects.gone):
        is_alone = folded[address.casefold()] == 1
        gone.append(f'    "{address if is_alone else f"~^{_escaped(address)}$"}" 1;')
    longest = max([len(line) for line in (*lines, *gone)], default=0)
    size = max(256, 1 << (longest + 64).bit_length())
    return _NGINX.format(size=size, lines="\n".join(lines), gone="\n".join(gone))


def _escaped(address: str) -> str:
    return _REGEX_SIGNS.sub(r"\\\1", address)


def _nginx_target(target: str) -> str:
    return target.replace("$", "${mardok_dollar}")


_NGINX = """# Redirects for nginx, one hop each. Include this file in the http block:
#     include /etc/nginx/redirects.nginx.conf;
# and put into each server block of the site:
#     if ($mardok_target) {{ return 301 $mardok_target; }}
#     if ($mardok_gone) {{ return 410; }}
# Behind a proxy that ends https, the scheme is taken from its header X-Forwarded-Proto.
map_hash_bucket_size {size};
map_hash_max_size 65536;
geo $mardok_dollar {{ default "$"; }}
map $http_x_forwarded_proto $mardok_scheme {{ default $scheme; http http; https https; }}
map "$mardok_scheme://$http_host$request_uri" $mardok_target {{
    default "";
{lines}
}}
map "$mardok_scheme://$http_host$request_uri" $mardok_gone {{
    default 0;
{gone}
}}
"""


def apache_map(redirects: Redirects) -> str:
    """The text map: an address a line, with its target or that it is gone."""
    answers = {**redirects.single, **dict.fromkeys(redirects.gone, _GONE)}
    return "".join(f"{source} {answer}\n" for source, answer in sorted(answers.items()))


def apache_rules(redirects: Redirects) -> str:
    """Rules for the ``VirtualHost`` that use the map."""
    rules = []
    for source, target, writing in redirects.writings:
        rules.append(
            f'RewriteCond "%{{ENV:MARDOK_SCHEME}}://%{{HTTP_HOST}}" "^{_escaped(source)}$" [NC]\n'
            f'RewriteCond "%{{THE_REQUEST}}" "^[A-Z]+ ({writing.head}){writing.dropped}(?:[?]([^ ]*))?( |$)"\n'
            f'RewriteRule "^" "{target}%1{writing.added}?%2" [R=301,L,NE]\n'
        )
    for source, target in sorted(redirects.origins):
        rules.append(
            f'RewriteCond "%{{ENV:MARDOK_SCHEME}}://%{{HTTP_HOST}}" "^{_escaped(source)}$" [NC]\n'
            'RewriteCond "%{THE_REQUEST}" "^[A-Z]+ (/[^ ?]*)[?]?([^ ]*)"\n'
            f'RewriteRule "^" "{target}%1?%2" [R=301,L,NE]\n'
        )
    return _APACHE.format(map_file=APACHE_MAP, origins="".join(rules))


_APACHE = """# Redirects for Apache, one hop each. Include this file in each VirtualHost of the site:
#     Define MARDOK_REDIRECTS /etc/apache2/{map_file}
#     Include /etc/apache2/redirects.apache.conf
# Needs the modules rewrite and setenvif. Behind a proxy that ends https, the scheme is taken from X-Forwarded-Proto.
RewriteEngine On
RewriteMap mardok "txt:${{MARDOK_REDIRECTS}}"
RewriteRule "^" "-" [E=MARDOK_SCHEME:%{{REQUEST_SCHEME}}]
RewriteCond "%{{HTTP:X-Forwarded-Proto}}" "^(https?)$"
RewriteRule "^" "-" [E=MARDOK_SCHEME:%1]
RewriteCond "%{{THE_REQUEST}}" "^[A-Z]+ (/[^ ]*)"
RewriteCond "${{mardok:%{{ENV:MARDOK_SCHEME}}://%{{HTTP_HOST}}%1}}" "^gone$"
RewriteRule "^" "-" [G,L]
RewriteCond "%{{THE_REQUEST}}" "^[A-Z]+ (/[^ ]*)"
RewriteCond "${{mardok:%{{ENV:MARDOK_SCHEME}}://%{{HTTP_HOST}}%1}}" "^([^?]+)[?]?(.*)$"
RewriteRule "^" "%1?%2" [R=301,L,NE]
{origins}"""


def redirects_csv(redirects: Redirects) -> str:
    """All redirects as CSV, each address that was read; whole origins end in ``/*``, and what is gone leads nowhere."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(["from", "to"])
    writer.writerows(sorted({**redirects.single, **redirects.written}.items()))
    writer.writerows((f"{source}/*", f"{target}/*") for source, target in sorted(redirects.origins))
    writer.writerows((address, "") for address in sorted(redirects.gone))
    return buffer.getvalue()
