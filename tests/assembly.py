"""Files of several bodies."""

from __future__ import annotations

import zipfile

from tests.shapes import indexed

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"


def threemf(path, model: bytes):
    """Write a package around the text of a model."""
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(
            "[Content_Types].xml",
            '<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/'
            'content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.'
            'relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.'
            '3dmanufacturing-3dmodel+xml"/></Types>',
        )
        archive.writestr(
            "_rels/.rels",
            '<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="http://schemas.openxmlformats.org/package/'
            '2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.'
            'com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
        )
        archive.writestr("3D/3dmodel.model", model)
    return path


def assembly(path, bodies):
    """Write one object made of bodies, (n, 3, 3) facets each."""
    objects = []
    for number, facets in enumerate(bodies, 1):
        vertices, faces = indexed(facets)
        points = "".join(f'<vertex x="{x:.7g}" y="{y:.7g}" z="{z:.7g}"/>' for x, y, z in vertices)
        corners = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in faces)
        mesh = f"<mesh><vertices>{points}</vertices><triangles>{corners}</triangles></mesh>"
        objects.append(f'<object id="{number}" type="model" name="body {number}">{mesh}</object>')
    links = "".join(f'<component objectid="{number}"/>' for number in range(1, len(bodies) + 1))
    whole = f'<object id="99" type="model" name="whole"><components>{links}</components></object>'
    head = f'<?xml version="1.0" encoding="UTF-8"?><model unit="millimeter" xmlns="{CORE}">'
    text = f'{head}<resources>{"".join(objects)}{whole}</resources><build><item objectid="99"/></build></model>'
    return threemf(path, text.encode())
