"""The pages and the JSON interface: FastAPI, Jinja, htmx.

``app``        puts it together          ``security``  sessions, forged requests, headers
``places``     today, class, bench       ``people``    sign-in and sign-out
``planar``     plates                    ``api``       the same computations as JSON
``rendering``  templates                 ``errors``    how refusals look
"""
