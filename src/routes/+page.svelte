<h1>Unisor</h1>
